<script setup lang="ts">
// The table of settings of a manual, pasted or dropped: what each row was taken for, to confirm or to change, then into the menu.
import { vStack } from '../ui/stack'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref } from 'vue'
import type { ManualRow } from '../api/client'
import FileButton from '../ui/FileButton.vue'
import NumberInput from '../ui/NumberInput.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import ChoiceRows from './ChoiceRows.vue'
import { downColumn, pastedColumn } from './columns'
import { useQuantities } from './quantities'
import type { OpenProfile } from './use-profile'
import { useTable, type Decision } from './use-table'

const props = defineProps<{ profile: OpenProfile }>()
const emit = defineEmits<{ taken: [count: number] }>()
const { all, choices, wordOf } = useQuantities()
const t = useTable(props.profile)
const { table, rows, decided, left, failure, busy, taken, steps, toSee, quantityOf, seen, stepOf, listed, refusedAt } = t
const text = ref('')
const stepSet = ref<Record<string, number | undefined>>({})
const count = computed(() => rows.value.length - left.value.size)
const skippedWords = computed(() => {
  const of = (why: string) => (table.value?.skipped ?? []).filter((s) => s.why === why).length
  return (
    [
      ['heading', 'headings'],
      ['footnote', 'footnotes'],
      ['explanation', 'explanations'],
    ] as const
  )
    .filter(([why]) => of(why))
    .map(([why, word]) => `${of(why)} ${word}`)
    .join(', ')
})
/** The likeliest first, then everything. */
const offered = (r: ManualRow) => {
  const near = (r.candidates ?? []).map((g) => g.quantity)
  return [...near.map((n) => [n, wordOf(n)] as [string, string]), ...choices.value.filter(([n]) => !near.includes(n))]
}
/** Two candidates side by side, where they are likely at all. */
const nearest = (r: ManualRow) =>
  (r.candidates ?? []).filter((c) => c.confidence >= LIKELY && (c.quantity !== quantityOf(r) || !seen(r))).slice(0, 2)
const ROLES: Record<string, string> = {
  place: 'number or menu',
  menu: 'menu',
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
const PAUSE_MS = 600
const LISTED = 6
const LIKELY = 0.55
let timer = 0
function typed() {
  window.clearTimeout(timer)
  if (text.value.trim()) timer = window.setTimeout(() => void t.look(text.value), PAUSE_MS)
}
function pasted(event: ClipboardEvent) {
  const file = [...(event.clipboardData?.files ?? [])][0]
  if (file) {
    event.preventDefault()
    void t.look(file)
  } else window.setTimeout(() => (window.clearTimeout(timer), void t.look(text.value)))
}
async function take() {
  const made = await t.take()
  if (!rows.value.length) {
    text.value = ''
    emit('taken', made)
  }
}
const wordy = (r: ManualRow) => ['choice', 'switch'].includes(all.value.get(quantityOf(r))?.kind ?? '')
const codes = (r: ManualRow) => Object.keys(r.choices ?? {})
const range = (r: ManualRow) => {
  if (codes(r).length)
    return (
      codes(r)
        .map((c) => (r.choices?.[c]?.shows === c ? c : `${c} ${r.choices?.[c]?.shows}`))
        .slice(0, LISTED)
        .join(', ') + (codes(r).length > LISTED ? ` and ${codes(r).length - LISTED} more` : '')
    )
  if (r.unit === 'HH:MM') return 'a time of day'
  if (r.min == null && r.max == null) return ''
  const off = r.off == null ? '' : `, or ${r.off}`
  return `${r.min ?? '?'} to ${r.max ?? '?'} ${r.unit}${r.per_cell ? ' of one cell' : ''}${off}`
}
const FIELDS: Record<string, { word: string; key: keyof Decision }> = {
  rated: { word: '100 % is', key: 'rated' },
  cells: { word: 'cells in series', key: 'cells' },
  min: { word: 'lowest', key: 'min' },
  max: { word: 'highest', key: 'max' },
}
const number = (v: unknown) => (typeof v === 'number' ? v : undefined)
/** A column copied out of a spreadsheet goes down the steps from where it is put. */
const column = (event: ClipboardEvent) =>
  pastedColumn(event, 'step', (from, values) =>
    values.forEach((v, k) => {
      const row = rows.value[from + k]
      if (row && Number.isFinite(v)) t.decide(row.line, { step: v })
    }),
  )
</script>

<template>
  <section @dragover.prevent @drop.prevent="(e) => e.dataTransfer?.files[0] && t.look(e.dataTransfer.files[0])">
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
          word="Choose a file"
          label="Table file"
          accept=".csv,.tsv,.txt,.xlsx,text/csv,text/plain"
          @files="([f]: File[]) => f && t.look(f)"
        />
        <span v-if="busy" class="soft" role="status">reading</span>
        <span v-if="failure" class="why" role="alert">{{ failure }}</span>
      </p>
    </template>
    <template v-else>
      <p class="lede" role="status" data-read>
        {{ rows.length }} rows read{{ toSee ? `, ${toSee} to look at` : ', all of them sure' }}.
        <span class="soft small"
          >{{ skippedWords && `Besides: ${skippedWords}. ` }}Columns:
          {{ table?.columns.map((c) => ROLES[c] ?? 'not used').join(' · ') }}</span
        >
      </p>
      <form
        v-if="steps.length"
        class="steps"
        data-steps
        @submit.prevent="steps.forEach((s) => t.allSteps(s.unit, stepSet[s.unit] ?? s.step ?? 1))"
      >
        <b>{{ steps.reduce((n, s) => n + s.count, 0) }} rows have no step.</b>
        <label v-for="s in steps" :key="s.unit">
          {{ s.count }} in {{ s.unit || 'no unit' }}:
          <NumberInput
            class="short"
            :value="stepSet[s.unit] ?? s.step"
            :aria-label="`Step of rows in ${s.unit || 'no unit'}`"
            @set="(v) => (stepSet[s.unit] = number(v))"
          />
        </label>
        <button type="submit">Use for all</button>
      </form>
      <p class="buttons">
        <button class="first" @click="take">Take {{ count }} into the menu</button>
        <button class="plain" @click="table = null">Paste again</button>
        <span v-if="taken?.refused.length" class="why" role="status"
          >{{ taken.refused.length }} cannot be taken as they stand</span
        >
      </p>
      <div class="scroll">
        <table v-stack="['Take', 'In the manual']" @paste="column">
          <thead>
            <tr>
              <th>Take</th>
              <th>In the manual</th>
              <th>What it is</th>
              <th>It takes</th>
              <th>Step</th>
              <th>Factory</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="(r, i) in rows"
              :key="r.line"
              :class="{ look: !seen(r), skipped: left.has(r.line) }"
              :data-manual="r.line"
              @keydown.enter.capture="downColumn"
            >
              <td><TickBox :label="`Take ${r.label}`" bare :checked="!left.has(r.line)" @change="t.skip(r)" /></td>
              <td>
                <span v-if="r.menu" class="soft">{{ r.menu.join(' › ') }}</span> {{ r.label }}
                <span v-for="p in r.doubts" :key="p" class="unsure">{{ p }}</span>
                <span v-if="refusedAt(r) && !left.has(r.line) && refusedAt(r)?.field !== 'step'" class="why" role="alert"
                  >{{ refusedAt(r)?.message }}; right would be {{ refusedAt(r)?.expected }}</span
                >
              </td>
              <td>
                <PickField
                  :id="`row-${i}-what`"
                  :model-value="quantityOf(r)"
                  :label="`What ${r.label} is`"
                  :choices="offered(r)"
                  @pick="(v) => t.choose(r, String(v))"
                />
                <span v-if="!seen(r)" class="near">
                  <button v-for="c in nearest(r)" :key="c.quantity" class="plain" @click="t.choose(r, c.quantity)">
                    {{ c.word }}{{ c.unit ? `, ${c.unit}` : '' }}
                  </button>
                  <button class="plain" :aria-label="`${r.label} is nothing of these`" @click="t.choose(r, '')">
                    none of these
                  </button>
                </span>
              </td>
              <td class="small">
                {{ range(r) }}
                <ChoiceRows
                  v-if="wordy(r) && codes(r).length"
                  :label="r.label"
                  :quantity="quantityOf(r)"
                  :choices="listed(r)"
                  @change="(c) => t.mean(r, c)"
                />
                <label v-if="refusedAt(r) && FIELDS[refusedAt(r)?.field ?? '']" class="mend">
                  {{ FIELDS[refusedAt(r)?.field ?? '']?.word }}
                  <NumberInput
                    class="short"
                    :aria-label="`${FIELDS[refusedAt(r)?.field ?? '']?.word} of ${r.label}`"
                    :value="decided[r.line]?.[FIELDS[refusedAt(r)?.field ?? '']?.key ?? 'rated']"
                    @set="(v) => t.decide(r.line, { [FIELDS[refusedAt(r)?.field ?? '']?.key ?? 'rated']: number(v) })"
                  />
                </label>
              </td>
              <td>
                <NumberInput
                  v-if="!codes(r).length && r.unit !== 'HH:MM'"
                  :id="`row-${i}-step`"
                  class="short"
                  :aria-label="`Step of ${r.label}`"
                  :value="stepOf(r)"
                  @set="(v) => t.decide(r.line, { step: number(v) })"
                />
              </td>
              <td class="small">{{ r.factory }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </section>
</template>

<style scoped>
.buttons,
.steps {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
  margin: 10px 0;
}
.steps {
  border-left: 3px solid var(--caution);
  padding: 6px 12px;
}
td {
  padding: 3px 10px 3px 0;
  vertical-align: top;
}
td :deep(.pick) {
  width: 220px;
}
.short,
.steps :deep(.short) {
  width: 78px;
}
.look td:first-child {
  box-shadow: inset 3px 0 0 var(--caution);
}
.skipped td {
  opacity: 0.55;
}
.near {
  display: flex;
  flex-wrap: wrap;
  gap: 0 6px;
}
.near button {
  padding: 0 6px;
}
.unsure {
  display: block;
  color: var(--caution);
  font-size: 13px;
}
.mend {
  display: flex;
  gap: 6px;
  align-items: center;
}
.why {
  display: block;
  color: var(--stop);
  font-size: 13px;
}
</style>
