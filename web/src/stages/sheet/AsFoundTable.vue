<script setup lang="ts">
// What the unit shows before anything is touched: by hand in menu order, pasted, or from a file.
import { vStack } from '../../ui/stack'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import FileButton from '../../ui/FileButton.vue'
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ApiProblem, type Plan, type ProblemOut } from '../../api/client'
import StateMark from '../../ui/StateMark.vue'
import KeptInput from '../../ui/KeptInput.vue'
import { useJob } from '../../job/use-job'
import ReadByCable from '../../live/ReadByCable.vue'
import { mapPort, useLive } from '../../live/use-live'
import { session } from '../../session/use-session'

const props = defineProps<{ unit: string; sheet: Plan['units'][number] }>()
const job = useJob()
const { live } = useLive(false)
const port = computed(() => mapPort(live.value, props.unit))
const reader = computed(() => session.value?.role === 'reader')
const id = computed(() => props.sheet.profile ?? '')
// A device by its plate has no profile in the library: its menu is what the sheet knows of it.
const byPlate = computed(() => id.value.startsWith('plate-'))
const pinned = computed(() => job.at(`/profile_revisions/${id.value}`) as number | undefined)
const profile = useQuery({
  queryKey: ['profile', id, pinned],
  queryFn: () => api.profile(id.value, pinned.value),
  enabled: computed(() => !byPlate.value),
  staleTime: Infinity,
})
interface Setting {
  id: string
  menu: string[]
  label: string
  unit?: string
  factory?: string
  encoding?: { choices?: Record<string, string> }
}
const known = computed<Setting[]>(() =>
  [...props.sheet.settings, ...props.sheet.leave_alone, ...props.sheet.decide].map((r) => ({
    id: r.setting,
    menu: r.menu,
    label: r.label,
    unit: 'unit' in r ? r.unit : '',
  })),
)
const settings = computed(() => (byPlate.value ? known.value : ((profile.data.value?.settings as Setting[] | undefined) ?? [])))
const found = computed(() => (job.at(`/as_found/${props.unit}`) as Record<string, string> | undefined) ?? {})
const told = computed(() => new Map((job.plan.value?.found?.[props.unit] ?? []).map((f) => [f.setting, f])))
const at = (id: string) => `/as_found/${props.unit}/${id}`
const note = (id: string, text: string) => job.set(at(id), text.trim() || undefined)
const pasted = ref('')
const problems = ref<ProblemOut[]>([])
const said = ref('')
async function take(text: string) {
  problems.value = []
  said.value = ''
  try {
    const read = await api.readFound(id.value, text)
    problems.value = read.problems
    const n = Object.keys(read.values).length
    said.value = `${n} ${n === 1 ? 'setting' : 'settings'} read${read.problems.length ? `, ${read.problems.length} not` : ''}.`
    if (n) job.set(`/as_found/${props.unit}`, { ...found.value, ...read.values })
    if (!read.problems.length) pasted.value = ''
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    said.value = error.message
  }
}
async function file([one]: File[]) {
  if (one) await take(await one.text())
}
const group = (i: number) => i === 0 || settings.value[i - 1]?.menu.join() !== settings.value[i]?.menu.join()
function down(event: KeyboardEvent, i: number) {
  const inputs = document.querySelectorAll<HTMLElement>('[data-found]')
  inputs[i + 1]?.focus()
  event.preventDefault()
}
</script>

<template>
  <p v-if="port && !reader"><ReadByCable :key="unit" :port="port.id" :device="unit" kind="as-found" /></p>
  <p class="soft">As the display shows it, in menu order; Enter goes to the next. Nothing is changed by noting it.</p>
  <div v-if="!byPlate" class="fields take">
    <FileButton
      word="Import CSV or JSON"
      label="As-found file"
      accept=".csv,.json,.txt,text/csv,application/json"
      @files="file"
    />
    <ElInput
      v-model="pasted"
      type="textarea"
      :rows="2"
      class="pasted"
      aria-label="Pasted lines"
      placeholder="or paste lines: setting, value"
      :validate-event="false"
    />
    <button :disabled="!pasted.trim()" @click="take(pasted)">Read</button>
    <button v-if="Object.keys(found).length" class="plain" @click="job.set(`/as_found/${unit}`, undefined)">Clear</button>
  </div>
  <p v-if="said" role="status">{{ said }}</p>
  <div v-if="problems.length" class="problems" role="alert">
    <ul>
      <li v-for="p in problems" :key="p.pointer">
        <b>{{ p.pointer }}</b> {{ p.message }}; found <code>{{ p.value }}</code><template v-if="p.expected"
          >; right would be {{ p.expected }}</template
        >
      </li>
    </ul>
  </div>
  <p v-if="profile.isError.value" role="alert">
    The profile cannot be read now. <button @click="() => profile.refetch()">Try again</button>
  </p>
  <table v-else-if="settings.length" v-stack="['Setting', 'Verdict']" :data-pointer="`/as_found/${unit}`" tabindex="-1">
    <thead>
      <tr>
        <th>Setting</th>
        <th>Shows</th>
        <th class="num">Planned</th>
        <th>Verdict</th>
      </tr>
    </thead>
    <tbody>
      <template v-for="(s, i) in settings" :key="s.id">
        <tr v-if="group(i)" class="menu">
          <th colspan="4" scope="colgroup">{{ s.menu.join(' › ') }}</th>
        </tr>
        <tr :class="{ danger: told.get(s.id)?.dangerous }">
          <td>{{ s.label }}</td>
          <td>
            <KeptInput
              :data-found="i"
              :data-pointer="at(s.id)"
              :value="found[s.id] ?? ''"
              :placeholder="s.factory ?? ''"
              :aria-label="`${s.label} as found`"
              :list="s.encoding?.choices ? `l-${s.id}` : undefined"
              @commit="(text) => note(s.id, text)"
              @keydown.enter="down($event, i)"
            />
            {{ s.unit }}
            <datalist v-if="s.encoding?.choices" :id="`l-${s.id}`">
              <option v-for="c in Object.values(s.encoding.choices)" :key="c" :value="c" />
            </datalist>
          </td>
          <td class="num">{{ told.get(s.id)?.planned ?? '' }}</td>
          <td>
            <template v-if="told.get(s.id)">
              <span v-if="told.get(s.id)?.problem" class="bad">{{ told.get(s.id)?.problem }}</span>
              <template v-else-if="told.get(s.id)?.dangerous"
                ><StateMark state="stop" /> <span class="bad">dangerous</span></template
              >
              <template v-else-if="told.get(s.id)?.same === true"><StateMark state="ok" /> fits</template>
              <template v-else-if="told.get(s.id)?.same === false">differs</template>
              <span v-else class="soft">not in the plan</span>
            </template>
          </td>
        </tr>
      </template>
    </tbody>
  </table>
  <p v-else class="soft" aria-busy="true">Reading the profile</p>
</template>

<style scoped>
.take {
  align-items: center;
  margin: 8px 0;
}
textarea {
  flex: 1 1 260px;
}
.menu th {
  color: var(--ink);
  background: var(--paper);
  padding: 5px 8px;
}
td :deep(.el-input) {
  width: 150px;
}
td :deep(input) {
  text-align: right;
}
td:first-child {
  padding-left: 8px;
}
.danger td {
  background: var(--stop-wash);
}
.bad {
  color: var(--stop);
  font-weight: 600;
}
.problems {
  color: var(--stop);
}
</style>
