<script setup lang="ts">
// The table of settings of a manual, pasted or dropped: what each row was taken for, to confirm or to change, then into the menu.
import { vStack } from '../ui/stack'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref, shallowRef } from 'vue'
import { api, ApiProblem, type ManualRow, type ManualTable } from '../api/client'
import FileButton from '../ui/FileButton.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import { asQuantity, useQuantities } from './quantities'
import { freeId, type OpenProfile } from './use-profile'

const props = defineProps<{ profile: OpenProfile }>()
const emit = defineEmits<{ taken: [count: number] }>()
const { all, choices, wordOf } = useQuantities()
const text = ref('')
const table = shallowRef<ManualTable | null>(null)
const chosen = ref<Record<number, string>>({})
const left = ref<Set<number>>(new Set())
const failure = ref('')
const busy = ref(false)
const rows = computed(() => table.value?.rows ?? [])
const quantityOf = (r: ManualRow) => chosen.value[r.line] ?? r.quantity
const seen = (r: ManualRow) => r.sure || chosen.value[r.line] !== undefined
const toSee = computed(() => rows.value.filter((r) => !seen(r) && !left.value.has(r.line)).length)
/** The likeliest first, then everything. */
const offered = (r: ManualRow) => {
  const near = r.guesses.map((g) => g.quantity)
  return [
    ...near.map((n, i) => [n, `${wordOf(n)} · ${Math.round((r.guesses[i]?.confidence ?? 0) * 100)} %`] as [string, string]),
    ...choices.value.filter(([n]) => !near.includes(n)),
  ]
}
const ROLES: Record<string, string> = {
  place: 'number or menu',
  name: 'name',
  range: 'range',
  step: 'step',
  factory: 'factory',
  unit: 'unit',
  choices: 'choices',
  note: 'note',
  min: 'lowest',
  max: 'highest',
}
async function look(source: string | Blob) {
  failure.value = ''
  busy.value = true
  try {
    table.value = await api.readTable(source)
    chosen.value = {}
    left.value = new Set()
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    const [first] = error.problems
    failure.value = first ? `${first.message}; right would be ${first.expected}` : error.message
  } finally {
    busy.value = false
  }
}
let timer = 0
function typed() {
  window.clearTimeout(timer)
  if (text.value.trim()) timer = window.setTimeout(() => void look(text.value), 600)
}
function pasted(event: ClipboardEvent) {
  const file = [...(event.clipboardData?.files ?? [])][0]
  if (file) {
    event.preventDefault()
    void look(file)
  } else window.setTimeout(() => (window.clearTimeout(timer), void look(text.value)))
}
const skip = (r: ManualRow) => {
  const next = new Set(left.value)
  if (!next.delete(r.line)) next.add(r.line)
  left.value = next
}
function take() {
  const now = (props.profile.at('/settings') as Record<string, unknown>[] | undefined) ?? []
  const taken = new Set<unknown>(now.map((s) => s.id))
  const made = rows.value
    .filter((r) => !left.value.has(r.line))
    .map((r) => {
      const q = quantityOf(r)
      const own = q === r.quantity ? { ...r.setting } : asQuantity(r.setting, all.value.get(q))
      const id = freeId(String(own.id), taken)
      taken.add(id)
      return { ...own, id }
    })
  props.profile.set('/settings', [...now, ...made])
  table.value = null
  text.value = ''
  emit('taken', made.length)
}
const range = (r: ManualRow) =>
  r.choices.length
    ? r.choices.join(' / ')
    : r.min == null
      ? ''
      : `${r.min} to ${r.max} ${r.unit}${r.step == null ? '' : `, by ${r.step}`}`
</script>

<template>
  <section @dragover.prevent @drop.prevent="(e) => e.dataTransfer?.files[0] && look(e.dataTransfer.files[0])">
    <template v-if="!rows.length">
      <p class="lede">
        Copy the table of settings out of the manual (a PDF will do) and paste it here, or give a CSV or XLSX file. Every row is
        matched to what it is; you confirm.
      </p>
      <ElInput
        v-model="text"
        type="textarea"
        :rows="9"
        aria-label="Table of settings"
        spellcheck="false"
        placeholder="01   Absorption voltage   48.0~58.4 V   0.1 V   56.4 V"
        :validate-event="false"
        @input="typed"
        @paste="pasted"
      />
      <p class="buttons">
        <FileButton
          word="Give a file"
          label="Table file"
          accept=".csv,.tsv,.txt,.xlsx,text/csv,text/plain"
          @files="([f]: File[]) => f && look(f)"
        />
        <span v-if="busy" class="soft" role="status">reading</span>
        <span v-if="failure" class="why" role="alert">{{ failure }}</span>
      </p>
    </template>
    <template v-else>
      <p class="lede" role="status" data-read>
        {{ rows.length }} rows read{{ toSee ? `, ${toSee} to look at` : ', all of them sure' }}.
        <span class="soft small">Columns: {{ table?.columns.map((c) => ROLES[c] ?? 'not used').join(' · ') }}</span>
      </p>
      <p class="buttons">
        <button class="first" @click="take">Take {{ rows.length - left.size }} into the menu</button>
        <button class="plain" @click="table = null">Paste again</button>
      </p>
      <div class="scroll">
        <table v-stack="['Take', 'In the manual']">
          <thead>
            <tr>
              <th>Take</th>
              <th>In the manual</th>
              <th>What it is</th>
              <th>Range and step</th>
              <th>Factory</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in rows" :key="r.line" :class="{ look: !seen(r), skipped: left.has(r.line) }" :data-manual="r.line">
              <td><TickBox :label="`Take ${r.label}`" bare :checked="!left.has(r.line)" @change="skip(r)" /></td>
              <td>
                <span class="soft">{{ r.place }}</span> {{ r.label }}
                <span v-for="p in r.problems" :key="p" class="why">{{ p }}</span>
              </td>
              <td>
                <PickField
                  :model-value="quantityOf(r)"
                  :label="`What ${r.label} is`"
                  :choices="offered(r)"
                  @pick="(v) => (chosen[r.line] = String(v))"
                />
                <span v-if="!seen(r)" class="unsure">
                  {{ r.quantity ? `${Math.round(r.confidence * 100)} %: please look` : 'not known: choose, or leave it' }}
                  <button v-if="r.quantity" class="plain" @click="chosen[r.line] = r.quantity">It is</button>
                </span>
              </td>
              <td class="small">{{ range(r) }}</td>
              <td class="small">{{ r.factory }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </section>
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  margin: 10px 0;
}
td {
  padding: 3px 10px 3px 0;
  vertical-align: top;
}
td :deep(.pick) {
  width: 240px;
}
.look td:first-child {
  box-shadow: inset 3px 0 0 var(--caution);
}
.skipped td {
  opacity: 0.55;
}
.unsure {
  display: block;
  color: var(--caution);
  font-size: 13px;
}
.why {
  display: block;
  color: var(--stop);
  font-size: 13px;
}
</style>
