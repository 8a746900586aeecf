<script setup lang="ts">
import { vStack } from '../../ui/stack'
import PickField from '../../ui/PickField.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { freeId } from '../bank/modules'
import NewerProfiles from '../../library/NewerProfiles.vue'
import { useLibrary } from '../../library/use-library'
import FoldPart from '../../ui/FoldPart.vue'
import RowsPart from '../../ui/RowsPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { counted } from '../../ui/words'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { amps } from '../../ui/figures'
import { useJob } from '../../job/use-job'
import ArrayFields from './ArrayFields.vue'
import GroupFigure from './GroupFigure.vue'
import OutputArrays from './OutputArrays.vue'
import PlateFields from './PlateFields.vue'

interface Unit {
  id: string
  profile?: string
  plate?: Record<string, unknown>
  role?: string
  phase?: string
  firmware?: string
}
const job = useJob()
const { of, nameOf, pinned } = useLibrary()
const units = computed(() => (job.at('/units') as Unit[] | undefined) ?? [])
const chargers = computed(() => (job.at('/sun/chargers') as Unit[] | undefined) ?? [])
// Whoever comes back from describing a unit finds it chosen.
const back = useRouter().currentRoute.value.query
const made = (kind: string) => (back.kind === kind ? String(back.use ?? '') : '')
const adding = ref(made('inverter/1'))
const addingSun = ref(made('sun-charger/1'))
const openRow = ref('')
const PLATE = { continuous_w: 3000, charge_max_a: 60, class_v: 48 }
function add(plate?: Record<string, unknown>) {
  const last = units.value.at(-1)
  const next: Unit = {
    id: freeId(
      units.value.map((u) => u.id),
      'U',
    ),
    ...(plate ? { plate: { ...(last?.plate ?? plate) } } : { profile: adding.value }),
    // The plan may still be on its way after a quick second click: there is one host already.
    role: units.value.some((u) => u.role !== 'follower') ? 'follower' : job.plan.value?.next_unit.role,
    phase: job.plan.value?.next_unit.phase,
  }
  if (last?.firmware) next.firmware = last.firmware
  if (plate) openRow.value = next.id
  job.setAll([['/units', [...units.value, next]], ...(plate ? [] : pinned(job, 'inverter', adding.value))])
}
function addSun(plate?: Record<string, unknown>) {
  const id = freeId(
    chargers.value.map((c) => c.id),
    'S',
  )
  job.setAll([
    ['/sun/chargers', [...chargers.value, { id, ...(plate ? { plate } : { profile: addingSun.value }) }]],
    ...(plate ? [] : pinned(job, 'sun-charger', addingSun.value)),
  ])
  if (plate) openRow.value = id
}
const controller = computed(() => job.at('/controller') as Unit | undefined)
const addingHub = ref(made('controller/1'))
const addHub = () =>
  job.setAll([
    [
      '/controller',
      {
        id: freeId(
          [...units.value, ...chargers.value].map((u) => u.id),
          'HUB',
        ),
        profile: addingHub.value,
      },
    ],
    ...pinned(job, 'controller', addingHub.value),
  ])
/** A unit that is pasted is one like the last, a follower. */
const likeLast = computed(() => {
  const last = units.value.at(-1)
  return last
    ? { ...(last.plate ? { plate: last.plate } : { profile: last.profile }), firmware: last.firmware, role: 'follower' }
    : {}
})
const refused = (path: string) => job.problems.value.some((p) => p.pointer.startsWith(path))
/** Units with sun chargers of their own. */
const tracked = computed(() =>
  units.value
    .map((u, index) => ({ id: u.id, index }))
    .filter((u) => (job.plan.value?.group?.places.find((p) => p.unit === u.id)?.own_sun_a ?? 0) > 0),
)
/** Whether a unit's AC side is three-phase by itself. */
const whole = (id: string) => (job.plan.value?.group?.places.find((p) => p.unit === id)?.phases.length ?? 1) > 1
const share = (id: string) => job.plan.value?.limits?.charge.units.find((u) => u.unit === id)
</script>

<template>
  <StageHead stage="units" />
  <NewerProfiles :kinds="['inverter', 'sun-charger', 'controller']" />
  <div class="scroll" data-pointer="/units" tabindex="-1">
    <table v-if="units.length" v-stack>
      <caption class="visually-hidden">
        Inverter-chargers
      </caption>
      <thead>
        <tr>
          <th>Unit</th>
          <th>Model</th>
          <th>Firmware</th>
          <th>Role</th>
          <th>Phase</th>
          <th class="num">Charges</th>
          <th><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <template v-for="(u, i) in units" :key="i">
          <tr>
            <td>
              <b>{{ u.id }}</b>
            </td>
            <td class="model">
              <button
                v-if="u.plate"
                class="plain"
                :aria-expanded="openRow === u.id"
                :aria-label="`Plate of ${u.id}`"
                @click="openRow = openRow === u.id ? '' : u.id"
              >
                By plate
              </button>
              <template v-else>{{ nameOf(u.profile ?? '') }}</template>
            </td>
            <td><TextField :path="`/units/${i}/firmware`" :label="`Firmware of ${u.id}`" bare class="id" /></td>
            <td>
              <ChoiceField :path="`/units/${i}/role`" :label="`Role of ${u.id}`" select bare />
            </td>
            <td class="phase">
              <span v-if="whole(u.id)" class="soft">all three</span>
              <ChoiceField v-else :path="`/units/${i}/phase`" :label="`Phase of ${u.id}`" select bare />
            </td>
            <td class="num">{{ share(u.id) ? amps(share(u.id)?.a) : '' }}</td>
            <td class="num">
              <button
                class="plain"
                :aria-expanded="openRow === `more ${u.id}`"
                :aria-label="`More of ${u.id}`"
                @click="openRow = openRow === `more ${u.id}` ? '' : `more ${u.id}`"
              >
                Details
              </button>
            </td>
          </tr>
          <tr v-if="openRow === `more ${u.id}`">
            <td colspan="7" class="own">
              <div class="fields">
                <TextField :path="`/units/${i}/id`" :label="`Name of unit ${i + 1}`" needed />
                <ChoiceField
                  v-if="!u.plate"
                  :path="`/units/${i}/profile`"
                  :label="`Model of ${u.id}`"
                  select
                  :choices="of('inverter').map((p) => [p.id, p.name])"
                />
                <TextField :path="`/units/${i}/serial`" />
              </div>
              <button class="plain" :aria-label="`Remove ${u.id}`" @click="job.drop('/units', i)">Remove this unit</button>
            </td>
          </tr>
          <tr v-if="u.plate && (openRow === u.id || refused(`/units/${i}/plate`))">
            <td colspan="7" class="own"><PlateFields :path="`/units/${i}/plate`" kind="unit" /></td>
          </tr>
        </template>
      </tbody>
    </table>
    <EmptyNote v-else>No unit yet. Choose a model and add it; add the next for each unit in parallel.</EmptyNote>
  </div>
  <GroupFigure class="few" />
  <FoldPart
    :key="String(!units.length)"
    name="units:add"
    title="Add units"
    says="from the library or by plate"
    :begins="!units.length"
  >
    <div class="adding">
      <PickField
        v-model="adding"
        class="wide"
        label="Model of the new unit"
        placeholder="Model from the library"
        :choices="of('inverter').map((p) => [p.id, `${p.name} · ${p.about}`])"
      />
      <button :disabled="!adding" @click="add()">Add unit</button>
      <button @click="add(PLATE)">Add by plate</button>
      <RouterLink class="small" :to="{ name: 'library', params: { profile: 'new' }, query: { from: job.id } }"
        >Not listed? Describe its menu</RouterLink
      >
    </div>
  </FoldPart>
  <RowsPart
    list="/units"
    noun="unit"
    :fields="['id', 'firmware', 'serial', 'role', 'phase']"
    :texts="['id', 'serial', 'firmware']"
    :most="32"
    :fresh="likeLast"
  />
  <FoldPart
    v-if="tracked.length"
    name="units:trackers"
    title="Arrays on the units' own trackers"
    :says="counted(tracked.length, 'unit')"
    data-trackers
  >
    <ArrayFields v-for="u in tracked" :id="u.id" :key="u.index" :path="`/units/${u.index}`" />
    <CautionLine>Panels are live by day, also when everything else is off.</CautionLine>
  </FoldPart>
  <FoldPart
    name="units:sun"
    title="Separate sun chargers"
    :says="
      chargers.length
        ? chargers
            .map((c) => c.id)
            .slice(0, 4)
            .join(', ')
        : 'none'
    "
    pointer="/sun"
  >
    <div v-if="chargers.length" class="scroll">
      <table v-stack data-pointer="/sun/chargers" class="slim" tabindex="-1">
        <thead>
          <tr>
            <th>Charger</th>
            <th>Model</th>
            <th>Array</th>
            <th>Tilt</th>
            <th>Faces</th>
            <th class="num">May charge</th>
            <th><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(c, i) in chargers" :key="i">
            <tr>
              <td><TextField :path="`/sun/chargers/${i}/id`" :label="`Name of charger ${i + 1}`" needed bare class="id" /></td>
              <td>
                <button
                  v-if="c.plate"
                  class="plain"
                  :aria-expanded="openRow === c.id"
                  :aria-label="`Plate of ${c.id}`"
                  @click="openRow = openRow === c.id ? '' : c.id"
                >
                  By plate
                </button>
                <template v-else>{{ nameOf(c.profile ?? '') }}</template>
              </td>
              <td><NumberField :path="`/sun/chargers/${i}/array_w`" :label="`Array of ${c.id}`" bare /></td>
              <td><NumberField :path="`/sun/chargers/${i}/tilt_deg`" :label="`Tilt of ${c.id}`" bare /></td>
              <td><NumberField :path="`/sun/chargers/${i}/azimuth_deg`" :label="`Direction of ${c.id}`" bare /></td>
              <td class="num">{{ share(c.id) ? amps(share(c.id)?.a) : '' }}</td>
              <td class="num">
                <button
                  class="plain"
                  :aria-expanded="openRow === `more ${c.id}`"
                  :aria-label="`More of ${c.id}`"
                  @click="openRow = openRow === `more ${c.id}` ? '' : `more ${c.id}`"
                >
                  More
                </button>
                <button class="plain" :aria-label="`Remove ${c.id}`" @click="job.drop('/sun/chargers', i)">Remove</button>
              </td>
            </tr>
            <tr
              v-if="openRow === `more ${c.id}` || refused(`/sun/chargers/${i}/array_v`) || refused(`/sun/chargers/${i}/strings`)"
            >
              <td colspan="7" class="own">
                <ArrayFields :id="c.id" :path="`/sun/chargers/${i}`" short />
                <TextField :path="`/sun/chargers/${i}/firmware`" />
              </td>
            </tr>
            <tr v-if="c.plate && (openRow === c.id || refused(`/sun/chargers/${i}/plate`))">
              <td colspan="8" class="own"><PlateFields :path="`/sun/chargers/${i}/plate`" kind="charger" /></td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <div class="adding">
      <PickField
        v-model="addingSun"
        class="wide"
        label="Model of the new sun charger"
        placeholder="Sun charger from the library"
        :choices="of('sun-charger').map((p) => [p.id, `${p.name} · ${p.about}`])"
      />
      <button :disabled="!addingSun" @click="addSun()">Add sun charger</button>
      <button @click="addSun({ ...job.plan.value?.next_charger })">Add charger by plate</button>
      <RouterLink
        class="small"
        :to="{ name: 'library', params: { profile: 'new' }, query: { from: job.id, kind: 'sun-charger/1' } }"
        >Not listed? Describe it</RouterLink
      >
    </div>
    <CautionLine>The bank first, sun after it: a sun charger must never see panels without a bank.</CautionLine>
  </FoldPart>
  <OutputArrays />
  <FoldPart
    v-if="controller || of('controller').length"
    name="units:controller"
    title="Controller"
    :says="controller?.id ?? 'none'"
    pointer="/controller"
  >
    <div v-if="controller" class="fields">
      <TextField path="/controller/id" needed />
      <ChoiceField path="/controller/profile" select :choices="of('controller').map((p) => [p.id, p.name])" />
      <TextField path="/controller/firmware" />
      <ChoiceField path="/controller/meters_dc_loads" boolean />
      <button class="plain" @click="job.set('/controller', undefined)">Remove the controller</button>
    </div>
    <div v-else class="adding">
      <PickField
        v-model="addingHub"
        class="wide"
        label="Model of the controller"
        placeholder="Controller from the library, where the site has one"
        :choices="of('controller').map((p) => [p.id, `${p.name} · ${p.about}`])"
      />
      <button :disabled="!addingHub" @click="addHub">Add controller</button>
    </div>
    <p v-if="controller" class="soft small">It holds the bank's own current; each charger then keeps its own maximum.</p>
  </FoldPart>
</template>

<style scoped>
.id :deep(.text) {
  width: 78px;
}
.scroll {
  overflow-x: auto;
  outline-offset: -2px;
}
td {
  padding: 4px 10px 4px 0;
}
.own {
  background: var(--paper);
  padding: 8px 12px 12px;
}
td :deep(.pick) {
  width: 106px;
}
table.slim td :deep(.number) {
  width: 96px;
}
table.slim td .id :deep(.text) {
  width: 76px;
}
td.phase :deep(.pick) {
  width: 76px;
}
td.num button {
  padding: 0 6px;
}
.adding {
  display: flex;
  gap: 8px;
  margin: 12px 0 20px;
  flex-wrap: wrap;
}
.adding .wide {
  width: min(420px, 100%);
}
</style>
