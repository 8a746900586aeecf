<script setup lang="ts">
// A job from five answers: bank, units, volts and Hz, sources, loads. What nobody says is assumed, and shown as assumed.
import { useSessionStorage } from '@vueuse/core'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api, ApiProblem, type ProblemOut } from '../api/client'
import { useLibrary } from '../library/use-library'
import { freeId } from '../stages/bank/modules'
import { OFFERED, USUAL } from '../stages/units/plates'
import TakesTicks from '../stages/units/TakesTicks.vue'
import FoldPart from '../ui/FoldPart.vue'
import { queries } from '../api/queries'
import CautionLine from '../ui/CautionLine.vue'
import NumberInput from '../ui/NumberInput.vue'
import PageHead from '../ui/PageHead.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'

type Figure = number | string | undefined
interface Modules {
  what: string
  count: Figure
  series_cells?: Figure
  capacity_ah?: Figure
  charge_a?: Figure
  discharge_a?: Figure
}
interface Units {
  what: string
  count: Figure
  continuous_w?: Figure
  charge_max_a?: Figure
  takes: string[]
}
const FIGURES = ['series_cells', 'capacity_ah', 'charge_a', 'discharge_a'] as const
const PLATE = ''
const router = useRouter()
const client = useQueryClient()
const { of } = useLibrary()

const AMERICAS = /^(America\/(?!Argentina|Santiago|Montevideo|Asuncion|La_Paz|Lima)|US\/|Canada\/|Pacific\/Honolulu)/
const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const assumed = AMERICAS.test(zone) ? { volts: 120, hz: 60 } : { volts: 230, hz: 50 }
const CELLS = 16
const begin = () => ({
  name: '',
  modules: [{ what: PLATE, count: 1 }] as Modules[],
  units: [{ what: PLATE, count: 1, takes: [...USUAL.unit] }] as Units[],
  volts: undefined as Figure,
  hz: undefined as number | undefined,
  sources: ['sun'],
  continuous_w: undefined as Figure,
  peak_w: undefined as Figure,
})
/** Kept for this tab until the job is made. */
const form = useSessionStorage('ewerer:new-job', begin(), { deep: true })
const problems = ref<ProblemOut[]>([])
const failure = ref('')
const busy = ref(false)

const SOURCES: [string, string][] = [
  ['sun', 'Sun'],
  ['mains', 'Mains'],
  ['generator', 'Generator'],
]
const moduleChoices = computed(
  () => [[PLATE, 'By nameplate'], ...of('module').map((p) => [p.id, `${p.name} · ${p.about}`])] as [string, string][],
)
const unitChoices = computed(
  () => [[PLATE, 'By plate'], ...of('inverter').map((p) => [p.id, `${p.name} · ${p.about}`])] as [string, string][],
)
const classOf = (cells: number) => (cells <= 5 ? 12 : cells <= 9 ? 24 : cells <= 18 ? 48 : Math.round(cells * 3.2))
const number = (v: Figure) => (v === '' ? undefined : v)
const times = (count: Figure) => Math.min(Math.max(Math.round(Number(count) || 1), 1), 32)
const sum = (rows: { count: Figure }[]) => rows.reduce((n, r) => n + times(r.count), 0)

/** A row that nobody has said anything of makes nothing. */
const said = (row: Modules | Units) =>
  row.what !== PLATE ||
  [...FIGURES, 'continuous_w', 'charge_max_a'].some((f) => number((row as unknown as Record<string, Figure>)[f]) !== undefined)
function document_() {
  const modules: Record<string, unknown>[] = []
  for (const m of form.value.modules.filter(said))
    for (let i = 0; i < times(m.count); i++) {
      const id = freeId(
        modules.map((x) => String(x.id)),
        'M',
      )
      const plate = Object.fromEntries(FIGURES.map((f) => [f, number(m[f])]).filter(([, v]) => v !== undefined))
      modules.push(m.what ? { id, profile: m.what } : { id, series_cells: CELLS, ...plate })
    }
  const cells = Number(form.value.modules[0]?.series_cells ?? CELLS)
  const units: Record<string, unknown>[] = []
  for (const u of form.value.units.filter(said))
    for (let i = 0; i < times(u.count); i++) {
      const id = freeId(
        units.map((x) => String(x.id)),
        'U',
      )
      const plate = {
        continuous_w: number(u.continuous_w),
        charge_max_a: number(u.charge_max_a),
        class_v: classOf(Number.isFinite(cells) ? cells : CELLS),
        takes: u.takes,
      }
      const role = sum(form.value.units.filter(said)) > 1 ? { role: units.length ? 'follower' : 'host' } : {}
      units.push({ id, ...role, ...(u.what ? { profile: u.what } : { plate }) })
    }
  const own = new Map([...of('module'), ...of('inverter')].filter((p) => p.own).map((p) => [p.id, p.revision]))
  const pins = [...form.value.modules, ...form.value.units].map((r) => r.what).filter((w) => own.has(w))
  const loads = { continuous_w: number(form.value.continuous_w), peak_w: number(form.value.peak_w) }
  return JSON.parse(
    JSON.stringify({
      ewerer: 'job/2',
      name: form.value.name.trim(),
      site: {
        time_zone: zone,
        ac: { volts: number(form.value.volts) ?? assumed.volts, hz: form.value.hz ?? assumed.hz },
        sources: form.value.sources,
      },
      ...(modules.length ? { bank: { modules } } : {}),
      ...(units.length ? { units } : {}),
      ...(Object.values(loads).some((v) => v !== undefined) ? { loads } : {}),
      ...(pins.length ? { profile_revisions: Object.fromEntries(pins.map((p) => [p, own.get(p)])) } : {}),
    }),
  ) as object
}
async function make() {
  busy.value = true
  problems.value = []
  failure.value = ''
  try {
    const made = await api.createJob(document_())
    form.value = begin()
    await client.invalidateQueries({ queryKey: ['jobs'] })
    await router.push({ name: 'job', params: { id: made.id, stage: 'site' } })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    problems.value = error.problems
    if (!error.problems.length) failure.value = error.message
  } finally {
    busy.value = false
  }
}
/** What the server says of a row of this page; a row stands for as many as it counts. */
function wrong(list: 'modules' | 'units', index: number): string[] {
  const rows: (Modules | Units)[] = form.value[list].filter(said)
  const row = rows.indexOf(form.value[list][index] as Modules & Units)
  if (row < 0) return []
  const from = rows.slice(0, row).reduce((sum, r) => sum + times(r.count), 0)
  const stem = list === 'modules' ? '/bank/modules/' : '/units/'
  const words = new Set<string>()
  for (const p of problems.value) {
    if (!p.pointer.startsWith(stem)) continue
    const at = Number(p.pointer.slice(stem.length).split('/')[0])
    if (at >= from && at < from + times(rows[row]?.count)) words.add(inWords(p))
  }
  return [...words]
}
const NAMES: Record<string, string> = {
  series_cells: 'cells in series',
  capacity_ah: 'capacity',
  charge_a: 'charge',
  discharge_a: 'discharge',
  continuous_w: 'continuous power',
  charge_max_a: 'charge current',
}
function inWords(p: ProblemOut): string {
  const field = NAMES[p.pointer.split('/').at(-1) ?? '']
  const text = p.message.replace(/\b[a-z]+(?:_[a-z]+)+\b/g, (key) => NAMES[key] ?? key)
  if (p.value === null || p.value === undefined) return field ? `${field} is needed` : text
  return `${field ? `${field}: ` : ''}${text}${p.expected && field ? `; right would be ${p.expected}` : ''}`
}
const others = computed(() => problems.value.filter((p) => !/^\/(bank\/modules|units)\/\d/.test(p.pointer)).map(inWords))
function source(name: string) {
  const on = form.value.sources
  form.value.sources = SOURCES.map(([s]) => s).filter((s) => (s === name ? !on.includes(s) : on.includes(s)))
}
const nameBox = ref<InstanceType<typeof ElInput>>()
onMounted(() => {
  document.title = 'New job · Ewerer'
  // Whoever comes back from describing a unit finds it chosen.
  const { use, kind } = router.currentRoute.value.query
  const row = kind === 'module/1' ? form.value.modules[0] : form.value.units[0]
  if (use && row) row.what = String(use)
  nameBox.value?.focus()
})
// A job that is there already, a demo too, is as good a start.
const list = useQuery(queries.jobs({ put_away: false, sort: 'name' }, 1))
const jobsThere = computed(() => list.data.value?.items ?? [])
const like = ref('')
async function makeCopy() {
  const made = await api.copyJob(like.value)
  await router.push({ name: 'job', params: { id: made.id, stage: 'site' } })
}
</script>

<template>
  <div class="new">
    <PageHead where="New job" />
    <main>
      <h1>New job</h1>
      <p class="lede">
        Five answers make a plan. Everything can be changed and added to later; <i class="assumed">pale and slanted</i> is assumed
        until you say otherwise.
      </p>
      <p v-if="jobsThere.length" class="copy">
        <PickField
          v-model="like"
          label="Job to begin with"
          placeholder="or begin with a copy of another job"
          :choices="jobsThere.map((j) => [j.id, j.name])"
        />
        <button :disabled="!like" @click="makeCopy">Copy it</button>
      </p>
      <form @submit.prevent="make">
        <label for="new-name">Name of the site or job</label>
        <ElInput id="new-name" ref="nameBox" v-model="form.name" maxlength="120" required class="name" :validate-event="false" />

        <fieldset>
          <legend>1. Bank</legend>
          <div v-for="(m, i) in form.modules" :key="i" class="row">
            <span class="cell count">
              <label :for="`m-${i}-count`">How many</label>
              <NumberInput :id="`m-${i}-count`" whole :value="m.count" @set="(v) => (m.count = v)" />
            </span>
            <span class="cell what">
              <span class="label" aria-hidden="true">Module</span>
              <PickField v-model="m.what" :label="`Module ${i + 1}`" :choices="moduleChoices" />
            </span>
            <template v-if="!m.what">
              <span class="cell">
                <label :for="`m-${i}-ah`">Capacity</label>
                <NumberInput :id="`m-${i}-ah`" unit="Ah" :value="m.capacity_ah" @set="(v) => (m.capacity_ah = v)" />
              </span>
              <span class="cell">
                <label :for="`m-${i}-cells`">Cells in series</label>
                <NumberInput
                  :id="`m-${i}-cells`"
                  whole
                  class="assumed"
                  :placeholder="`${CELLS} assumed`"
                  :value="m.series_cells"
                  @set="(v) => (m.series_cells = v)"
                />
              </span>
              <span class="cell">
                <label :for="`m-${i}-in`">Charge, data sheet</label>
                <NumberInput :id="`m-${i}-in`" unit="A" :value="m.charge_a" @set="(v) => (m.charge_a = v)" />
              </span>
              <span class="cell">
                <label :for="`m-${i}-out`">Discharge, data sheet</label>
                <NumberInput :id="`m-${i}-out`" unit="A" :value="m.discharge_a" @set="(v) => (m.discharge_a = v)" />
              </span>
            </template>
            <button
              v-if="form.modules.length > 1"
              type="button"
              class="plain"
              :aria-label="`Remove modules ${i + 1}`"
              @click="form.modules.splice(i, 1)"
            >
              Remove
            </button>
            <span v-for="w in wrong('modules', i)" :key="w" class="why" role="alert">{{ w }}</span>
          </div>
          <button type="button" class="plain" @click="form.modules.push({ what: PLATE, count: 1 })">
            Another kind of module
          </button>
        </fieldset>

        <fieldset>
          <legend>2. Inverter-chargers</legend>
          <div v-for="(u, i) in form.units" :key="i" class="row">
            <span class="cell count">
              <label :for="`u-${i}-count`">How many</label>
              <NumberInput :id="`u-${i}-count`" whole :value="u.count" @set="(v) => (u.count = v)" />
            </span>
            <span class="cell what">
              <span class="label" aria-hidden="true">Unit</span>
              <PickField v-model="u.what" :label="`Unit ${i + 1}`" :choices="unitChoices" />
            </span>
            <template v-if="!u.what">
              <span class="cell">
                <label :for="`u-${i}-w`">Continuous power</label>
                <NumberInput :id="`u-${i}-w`" unit="W" :value="u.continuous_w" @set="(v) => (u.continuous_w = v)" />
              </span>
              <span class="cell">
                <label :for="`u-${i}-a`">Charges at most</label>
                <NumberInput :id="`u-${i}-a`" unit="A" :value="u.charge_max_a" @set="(v) => (u.charge_max_a = v)" />
              </span>
              <FoldPart
                :name="`new:menu:${i}`"
                class="wide"
                title="Settings that its menu has"
                :says="`${u.takes.length} of ${OFFERED.unit.length}`"
              >
                <TakesTicks
                  :label="`Settings that the menu of unit ${i + 1} has`"
                  :offered="OFFERED.unit"
                  :taken="u.takes"
                  @take="(t) => (u.takes = t)"
                />
              </FoldPart>
              <p class="soft small wide">
                The sheet then uses plain names. Its manual at hand? Paste its table of settings
                <RouterLink :to="{ name: 'library', params: { profile: 'new' }, query: { from: 'new-job' } }"
                  >into a profile of its own</RouterLink
                >.
              </p>
            </template>
            <span v-for="w in wrong('units', i)" :key="w" class="why" role="alert">{{ w }}</span>
          </div>
        </fieldset>

        <fieldset>
          <legend>3. AC system</legend>
          <div class="row">
            <span class="cell">
              <label for="new-volts">Volts, phase to neutral</label>
              <NumberInput
                id="new-volts"
                unit="V"
                class="assumed"
                :placeholder="`${assumed.volts} assumed`"
                :value="form.volts"
                @set="(v) => (form.volts = v)"
              />
            </span>
            <span class="cell">
              <span class="label" aria-hidden="true">Frequency</span>
              <PickField
                :model-value="form.hz ?? 0"
                label="Frequency"
                :choices="[
                  [0, `${assumed.hz} Hz, assumed`],
                  [50, '50 Hz'],
                  [60, '60 Hz'],
                ]"
                @pick="(v) => (form.hz = v === 0 ? undefined : Number(v))"
              />
            </span>
          </div>
        </fieldset>

        <fieldset>
          <legend>4. Sources</legend>
          <div class="ticks">
            <TickBox
              v-for="[s, word] in SOURCES"
              :key="s"
              :label="word"
              :checked="form.sources.includes(s)"
              @change="source(s)"
            />
          </div>
        </fieldset>

        <fieldset>
          <legend>5. Loads</legend>
          <div class="row">
            <span class="cell">
              <label for="new-loads">Continuous</label>
              <NumberInput
                id="new-loads"
                unit="W"
                class="assumed"
                placeholder="assumed"
                :value="form.continuous_w"
                @set="(v) => (form.continuous_w = v)"
              />
            </span>
            <span class="cell">
              <label for="new-peak">Peak, for seconds</label>
              <NumberInput id="new-peak" unit="W" :value="form.peak_w" @set="(v) => (form.peak_w = v)" />
            </span>
          </div>
        </fieldset>
        <ul v-if="others.length || failure" class="why" role="alert">
          <li v-for="w in others" :key="w">{{ w }}</li>
          <li v-if="failure">{{ failure }} What you typed is kept here.</li>
        </ul>
        <CautionLine>Ewerer plans; local code, the makers' manuals and a licensed person decide.</CautionLine>
        <p class="buttons">
          <button class="first" :disabled="!form.name.trim() || busy">{{ busy ? 'Making it' : 'Make the job' }}</button>
          <RouterLink class="button plain" to="/">Not now</RouterLink>
        </p>
      </form>
    </main>
  </div>
</template>

<style scoped>
.copy {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-bottom: 12px;
}
.copy :deep(.pick) {
  width: min(380px, 100%);
}
.new {
  min-height: 100vh;
}
main {
  padding: 20px 22px 60px;
  max-width: 980px;
  margin: 0 auto;
}
.name {
  max-width: 420px;
  display: flex;
}
fieldset {
  margin-top: 14px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 14px;
  align-items: end;
  margin-bottom: 8px;
}
.cell {
  display: grid;
  gap: 2px;
  width: 132px;
}
.cell.count {
  width: 74px;
}
.cell.what {
  width: min(300px, 100%);
}
.cell.what :deep(.pick) {
  width: 100%;
}
label,
.label {
  font-size: 13px;
  color: var(--soft);
}
i.assumed,
.assumed :deep(input::placeholder) {
  font-style: italic;
  color: var(--soft);
}
.wide {
  flex-basis: 100%;
  margin: 0;
}
.ticks {
  display: flex;
  gap: 8px 20px;
  flex-wrap: wrap;
}
.why {
  color: var(--stop);
  flex-basis: 100%;
}
.buttons {
  margin-top: 16px;
  display: flex;
  gap: 8px;
}
</style>
