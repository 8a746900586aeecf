<script setup lang="ts">
import { vStack } from '../../ui/stack'
import PickField from '../../ui/PickField.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import NewerProfiles from '../../library/NewerProfiles.vue'
import { useLibrary } from '../../library/use-library'
import FoldPart from '../../ui/FoldPart.vue'
import RowsPart from '../../ui/RowsPart.vue'
import StageHead from '../../ui/StageHead.vue'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { amps, tidy } from '../../ui/figures'
import { vHelp } from '../../ui/help'
import { useJob } from '../../job/use-job'
import { readFigure } from '../../ui/prefs'
import NumberInput from '../../ui/NumberInput.vue'
import { freeId, moduleFigures, withoutOwn } from './modules'

interface Module {
  id: string
  profile?: string
}
const job = useJob()
const { of, nameOf, pinned } = useLibrary()
const profiles = computed(() => of('module'))
const modules = computed(() => (job.at('/bank/modules') as Module[] | undefined) ?? [])
const planned = computed(() => new Map((job.plan.value?.bank?.modules ?? []).map((m) => [m.id, m])))
const bank = computed(() => job.plan.value?.bank)
const wiring = computed(() => job.plan.value?.limits?.wiring)
// Whoever comes back from describing a battery finds it chosen.
const made = useRouter().currentRoute.value.query
const adding = ref(made.kind === 'module/1' ? String(made.use ?? '') : '')
const openRow = ref<number | null>(null)

function add(profile: string | null) {
  const id = freeId(modules.value.map((m) => m.id))
  const last = modules.value.at(-1)
  const next = profile ? { id, profile } : { ...moduleFigures(last, job.plan.value?.next_module), id }
  job.setAll([['/bank/modules', [...modules.value, next]], ...(profile ? pinned(job, 'module', profile) : [])])
  if (!profile) openRow.value = modules.value.length - 1
}
const many = ref<number | string | undefined>(6)
/** More modules like the last one: all of its figures but what belongs to one alone. */
function addLike() {
  const list = [...modules.value]
  const last = list.at(-1)
  const count = Math.min(Math.max(Math.round(Number(many.value) || 0), 0), 64 - list.length)
  if (!last || count < 1) return
  for (let n = 0; n < count; n++) list.push({ ...withoutOwn(last), id: freeId(list.map((m) => m.id)) } as Module)
  job.set('/bank/modules', list)
}
/** A column of volts from a spreadsheet or a note goes down the column. */
function pasted(event: ClipboardEvent, from: number) {
  const lines = (event.clipboardData?.getData('text') ?? '').trim().split(/[\r\n]+/)
  if (lines.length < 2) return
  event.preventDefault()
  const writes: [string, unknown][] = []
  lines.forEach((line, k) => {
    const said = readFigure(line, 'V', { low: 1, high: 1500 })
    if (from + k < modules.value.length && said.value !== undefined)
      writes.push([`/bank/modules/${from + k}/resting_v`, said.value])
  })
  if (writes.length) job.setAll(writes)
}
function nextDown(i: number) {
  const at = document.querySelector<HTMLElement>(`[data-pointer="/bank/modules/${i + 1}/resting_v"]`)
  const field = at?.matches('input') ? at : at?.querySelector('input')
  if (field instanceof HTMLInputElement) {
    field.focus()
    field.select()
  }
}
function remove(i: number) {
  job.drop('/bank/modules', i)
  openRow.value = null
}
// A row opened by what is refused in it stays open when it is mended: nothing moves away under a press.
watch(
  () => job.problems.value.map((p) => /^\/bank\/modules\/(\d+)\/(?!id|resting_v|lead_mohm)/.exec(p.pointer)?.[1]).find(Boolean),
  (row) => row !== undefined && (openRow.value = Number(row)),
)
/** What counts while a figure is empty: the profile's, or what the plan assumes. */
function counts(m: Module, figure: string): string | undefined {
  const value = (planned.value.get(m.id) as unknown as Record<string, unknown> | undefined)?.[figure]
  return typeof value === 'number' ? `${tidy(value, 2)} ${m.profile ? 'profile' : 'assumed'}` : undefined
}
const profileName = (id?: string) => (id ? nameOf(id) : 'own figures')
/** Its current at the bank's limit as part of its own limit. */
const partOf = (id: string) => {
  const m = planned.value.get(id)
  return m && m.charge_a > 0 ? Math.min(m.current_at_limit_a / m.charge_a, 1) : 0
}
const LEADS = [
  ...['main_lead', 'lead'].flatMap((l) => [
    `/bank/${l}_mohm`,
    `/bank/${l}/length_m`,
    `/bank/${l}/section_mm2`,
    `/bank/${l}/side_by_side`,
  ]),
  ...['fuse_a', 'fuse_breaking_a', 'cable_a', 'precharge_ohm', 'inputs_uf', 'shunt_a', 'shunt_mv'].map((n) => `/bank/${n}`),
]
const FIGURES = [
  'series_cells',
  'capacity_ah',
  'resistance_mohm',
  'charge_a',
  'charge_warranty_a',
  'discharge_a',
  'discharge_warranty_a',
  'discharge_peak_a',
  'cell_max_v',
  'cell_min_v',
  'age_years',
  'health',
  'rated_h',
  'peukert',
]
</script>

<template>
  <StageHead stage="bank">
    <CautionLine>
      Terminals are always live. Link cables stay off until addresses are set; join only modules that rest within the tolerance.
    </CautionLine>
  </StageHead>
  <NewerProfiles :kinds="['module']" />

  <div class="scroll few" data-pointer="/bank/modules" tabindex="-1">
    <table v-if="modules.length" v-stack>
      <caption class="visually-hidden">
        Modules of the bank
      </caption>
      <thead>
        <tr>
          <th>Module</th>
          <th>Profile</th>
          <th>At rest, measured</th>
          <th v-help="'ModuleFigures.current_at_limit_a'">Carries at the bank's limit</th>
          <th><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="(m, i) in modules" :key="i">
          <tr :data-pointer="`/bank/modules/${i}`" tabindex="-1">
            <td>
              <b>{{ m.id }}</b>
            </td>
            <td>{{ profileName(m.profile) }}</td>
            <td @paste="(e) => pasted(e, i)" @keydown.enter="nextDown(i)">
              <NumberField :path="`/bank/modules/${i}/resting_v`" :label="`Resting volts of ${m.id}`" bare />
            </td>
            <td>
              <span v-if="planned.get(m.id)" class="carries">
                <span class="track" aria-hidden="true"
                  ><i :style="{ width: `${partOf(m.id) * 100}%` }" :class="{ full: partOf(m.id) > 0.999 }"
                /></span>
                {{ amps(planned.get(m.id)?.current_at_limit_a)
                }}<template v-if="partOf(m.id) < 0.999"> of {{ amps(planned.get(m.id)?.charge_a) }}</template>
              </span>
            </td>
            <td class="acts">
              <button
                class="plain"
                :aria-expanded="openRow === i"
                :aria-label="`Figures of ${m.id}`"
                @click="openRow = openRow === i ? null : i"
              >
                Details
              </button>
            </td>
          </tr>
          <tr v-if="openRow === i">
            <td colspan="5" class="own">
              <p class="soft small">
                {{
                  m.profile
                    ? 'Figures given here count instead of the profile; empty means as the profile says.'
                    : 'From the nameplate; what is left empty is assumed, and said so.'
                }}
              </p>
              <div class="fields">
                <TextField :path="`/bank/modules/${i}/id`" :label="`Name of module ${i + 1}`" needed />
                <NumberField :path="`/bank/modules/${i}/lead_mohm`" :label="`Lead of ${m.id}`" />
                <TextField :path="`/bank/modules/${i}/serial`" />
                <ChoiceField :path="`/bank/modules/${i}/chemistry`" select fallback="" />
                <NumberField
                  v-for="f in FIGURES"
                  :key="f"
                  :path="`/bank/modules/${i}/${f}`"
                  :whole="f === 'series_cells'"
                  :placeholder="counts(m, f)"
                />
              </div>
              <button class="plain" :aria-label="`Remove ${m.id}`" @click="remove(i)">Remove this module</button>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
    <EmptyNote v-else>No module yet. Add one from the library, or type its nameplate.</EmptyNote>
  </div>
  <FoldPart
    :key="String(!modules.length)"
    name="bank:add"
    title="Add modules"
    says="from the library, by nameplate, or like the last"
    :begins="!modules.length"
  >
    <div class="adding">
      <PickField
        v-model="adding"
        class="wide"
        label="Profile of the new module"
        placeholder="Profile from the library"
        :choices="profiles.map((p) => [p.id, `${p.name} · ${p.about}`])"
      />
      <button :disabled="!adding" @click="add(adding)">Add module</button>
      <button @click="add(null)">Add by nameplate</button>
      <span v-if="modules.length" class="like">
        <button :disabled="!Number(many)" @click="addLike">Add {{ Number(many) || '' }} like the last</button>
        <NumberInput whole aria-label="How many like the last" :value="many" @set="(v) => (many = v)" />
      </span>
      <RouterLink class="small" :to="{ name: 'library', params: { profile: 'new' }, query: { from: job.id, kind: 'module/1' } }"
        >Not listed? Describe it with its BMS</RouterLink
      >
    </div>
  </FoldPart>
  <RowsPart
    list="/bank/modules"
    noun="module"
    :fields="['id', 'resting_v', 'serial', 'firmware', 'lead_mohm', 'chemistry', ...FIGURES]"
    :texts="['id', 'serial', 'firmware']"
    :most="64"
    :fresh="modules.length ? withoutOwn(modules.at(-1)!) : {}"
  />
  <FoldPart v-if="bank" name="bank:figures" title="Figures of the bank" says="limits, resistance, one module gone, short circuit">
    <div v-if="bank" class="figures" data-bank-figures>
      <div>
        <b v-help="'Bank.capacity_ah'">{{ tidy(bank.capacity_ah, 0) }} Ah</b
        ><span>{{ tidy(bank.energy_wh / 1000, 1) }} kWh, {{ bank.series_cells }} cells, {{ bank.class_v }} V</span>
      </div>
      <div>
        <b v-help="'Bank.charge_limit_a'">in {{ amps(bank.charge_limit_a) }}</b
        ><span
          >sum {{ amps(bank.charge_limit_sum_a)
          }}{{ bank.binding_module ? `, ${bank.binding_module} reaches its limit first` : '' }}</span
        >
      </div>
      <div>
        <b v-help="'Bank.discharge_limit_a'">out {{ amps(bank.discharge_limit_a) }}</b
        ><span
          >sum {{ amps(bank.discharge_limit_sum_a)
          }}{{ bank.binding_module_discharge ? `, ${bank.binding_module_discharge} reaches its limit first` : '' }}</span
        >
      </div>
      <div>
        <b v-help="'Bank.resistance_mohm'">{{ tidy(bank.resistance_mohm, 2) }} mΩ</b
        ><span>{{ tidy(bank.path_mohm, 2) }} mΩ to the units</span>
      </div>
      <div v-if="bank.reported_charge_a !== null">
        <b v-help="'Bank.reported_charge_a'">{{ amps(bank.reported_charge_a) }} / {{ amps(bank.reported_discharge_a) }}</b
        ><span>what the BMS will report, in / out</span>
      </div>
      <div v-if="bank.without_one">
        <b v-help="'WithoutOne.lost_module'"
          >{{ amps(bank.without_one.charge_limit_a) }} / {{ amps(bank.without_one.discharge_limit_a) }}</b
        ><span>in / out with {{ bank.without_one.lost_module }} gone</span>
      </div>
      <div v-if="bank.join_current_a !== null">
        <b v-help="'Bank.join_current_a'">{{ amps(bank.join_current_a) }}</b><span>may flow on joining</span>
      </div>
      <div v-if="wiring">
        <b v-help="'Wiring.short_circuit_a'">{{ tidy(wiring.short_circuit_a / 1000, 1) }} kA</b
        ><span>into a dead short behind the main leads</span>
      </div>
    </div>

    <p v-if="bank.closing && bank.closing.order.length > 2" class="closing" data-closing>
      Close them in this order: <b>{{ bank.closing.order.join(', ') }}</b>. The largest step is {{ amps(bank.closing.worst_a) }},
      at {{ bank.closing.worst_module
      }}<template v-if="bank.closing.any_order_a > bank.closing.worst_a"
        >; in an unlucky order {{ amps(bank.closing.any_order_a) }}</template
      >.
    </p>
  </FoldPart>
  <FoldPart name="bank:leads" title="Leads, fuse and shunt" :paths="LEADS" pointer="/bank">
    <div class="fields" data-pointer="/bank/main_lead" tabindex="-1">
      <NumberField v-for="at in LEADS.slice(0, 4)" :key="at" :path="at" :whole="at.endsWith('side_by_side')" />
    </div>
    <div class="fields" data-pointer="/bank/lead" tabindex="-1">
      <NumberField v-for="at in LEADS.slice(4, 8)" :key="at" :path="at" :whole="at.endsWith('side_by_side')" />
    </div>
    <div class="fields"><ChoiceField path="/bank/leads_place" /><ChoiceField path="/policy/new_bank" flag /></div>
    <div class="fields">
      <NumberField v-for="at in LEADS.slice(8)" :key="at" :path="at" />
    </div>
    <p v-if="wiring" class="soft small wiring" data-wiring>
      Main leads {{ tidy(wiring.main_mohm, 2) }} mΩ<template v-if="wiring.main"
        >, carry {{ amps(wiring.main.ampacity_a) }}</template
      ><template v-if="wiring.drop_v !== null"
        >; {{ tidy(wiring.drop_v, 2) }} V ({{ tidy((wiring.drop_part ?? 0) * 100, 1) }} %) lost at the design load</template
      >.<template v-if="wiring.module"> A module's lead carries {{ amps(wiring.module.ampacity_a) }}.</template
      ><template v-if="wiring.precharge_s !== null">
        Pre-charge: {{ amps(wiring.precharge_a) }} at first, {{ tidy(wiring.precharge_s, 1) }} s before the main switch.</template
      >
      A measured resistance counts before length and section.
    </p>
  </FoldPart>
</template>

<style scoped>
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 26px;
  border-block: 1px solid var(--rule);
  padding: 10px 0;
  margin: 10px 0;
}
.figures div {
  display: grid;
}
.figures b {
  font-size: 18px;
  font-weight: 650;
}
.figures span {
  color: var(--soft);
  font-size: 13px;
}
.closing {
  margin: 10px 0;
}
.wiring {
  margin: 8px 0 0;
}
fieldset .fields + .fields {
  margin-top: 12px;
}
.scroll {
  overflow-x: auto;
  outline-offset: -2px;
}
td {
  padding: 4px 10px 4px 0;
}
.carries {
  display: flex;
  align-items: center;
  gap: 10px;
  white-space: nowrap;
}
.track {
  width: 120px;
  height: 8px;
  background: var(--faint);
}
.track i {
  display: block;
  height: 100%;
  background: var(--bank);
}
.track .full {
  background: var(--copper);
}
@media (max-width: 1000px) {
  .acts button {
    padding: 0 5px;
  }
}
.own {
  background: var(--paper);
  padding: 8px 12px 12px;
}
.acts {
  white-space: nowrap;
  text-align: right;
}
.acts button {
  padding: 0 8px;
}
.adding {
  display: flex;
  gap: 8px;
  margin: 12px 0 20px;
  flex-wrap: wrap;
}
.like {
  display: inline-flex;
  gap: 4px;
}
.like :deep(.el-input) {
  width: 64px;
}
.adding .wide {
  width: min(420px, 100%);
}
</style>
