<script setup lang="ts">
import PickField from '../../ui/PickField.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, ref } from 'vue'
import { freeId } from '../bank/modules'
import { useLibrary } from '../../library/use-library'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { amps } from '../../ui/figures'
import { useJob } from '../../job/use-job'

interface Unit {
  id: string
  profile: string
  role?: string
  phase?: string
  firmware?: string
}
const job = useJob()
const { of, nameOf } = useLibrary()
const units = computed(() => (job.at('/units') as Unit[] | undefined) ?? [])
const chargers = computed(() => (job.at('/sun/chargers') as Unit[] | undefined) ?? [])
const adding = ref('')
const addingSun = ref('')
function add() {
  const last = units.value.at(-1)
  const next: Unit = {
    id: freeId(
      units.value.map((u) => u.id),
      'U',
    ),
    profile: adding.value,
    // The plan may still be on its way after a quick second click: there is one host already.
    role: units.value.some((u) => u.role !== 'follower') ? 'follower' : job.plan.value?.next_unit.role,
    phase: job.plan.value?.next_unit.phase,
  }
  if (last?.firmware) next.firmware = last.firmware
  const pin = of('inverter').find((p) => p.id === adding.value && p.own)?.revision
  job.setAll([
    ['/units', [...units.value, next]],
    ...(pin && !job.at(`/profile_revisions/${adding.value}`)
      ? [[`/profile_revisions/${adding.value}`, pin] as [string, unknown]]
      : []),
  ])
}
const addSun = () =>
  job.set('/sun/chargers', [
    ...chargers.value,
    {
      id: freeId(
        chargers.value.map((c) => c.id),
        'S',
      ),
      profile: addingSun.value,
    },
  ])
const without = (path: string, list: unknown[], i: number) =>
  job.set(
    path,
    list.filter((_, k) => k !== i),
  )
const share = (id: string) => job.plan.value?.limits?.charge.units.find((u) => u.unit === id)
const out = (id: string) => job.plan.value?.limits?.discharge.units.find((u) => u.unit === id)
</script>

<template>
  <h1>Units</h1>
  <p class="lede">Inverter-chargers in parallel: one model, one firmware, one host, each in its place.</p>
  <div class="scroll" data-pointer="/units" tabindex="-1">
    <table v-if="units.length">
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
          <th class="num">Draws</th>
          <th><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(u, i) in units" :key="i">
          <td><TextField :path="`/units/${i}/id`" :label="`Name of unit ${i + 1}`" needed bare class="id" /></td>
          <td class="model">
            <ChoiceField
              :path="`/units/${i}/profile`"
              :label="`Model of ${u.id}`"
              select
              bare
              :choices="of('inverter').map((p) => [p.id, p.name])"
            />
          </td>
          <td><TextField :path="`/units/${i}/firmware`" :label="`Firmware of ${u.id}`" bare class="id" /></td>
          <td>
            <ChoiceField :path="`/units/${i}/role`" :label="`Role of ${u.id}`" select bare />
          </td>
          <td class="phase">
            <ChoiceField :path="`/units/${i}/phase`" :label="`Phase of ${u.id}`" select bare />
          </td>
          <td class="num">{{ share(u.id) ? amps(share(u.id)?.a) : '' }}</td>
          <td class="num">{{ out(u.id) ? amps(out(u.id)?.a) : '' }}</td>
          <td class="num">
            <button class="plain" :aria-label="`Remove ${u.id}`" @click="without('/units', units, i)">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <EmptyNote v-else>No unit yet. Choose a model and add it; add the next for each unit in parallel.</EmptyNote>
  </div>
  <div class="adding">
    <PickField
      v-model="adding"
      class="wide"
      label="Model of the new unit"
      placeholder="Model from the library"
      :choices="of('inverter').map((p) => [p.id, `${p.name} · ${p.about}`])"
    />
    <button :disabled="!adding" @click="add">Add unit</button>
  </div>
  <fieldset data-pointer="/sun">
    <legend>Separate sun chargers</legend>
    <table v-if="chargers.length" data-pointer="/sun/chargers" tabindex="-1">
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
        <tr v-for="(c, i) in chargers" :key="i">
          <td><TextField :path="`/sun/chargers/${i}/id`" :label="`Name of charger ${i + 1}`" needed bare class="id" /></td>
          <td>{{ nameOf(c.profile) }}</td>
          <td><NumberField :path="`/sun/chargers/${i}/array_w`" :label="`Array of ${c.id}`" bare /></td>
          <td><NumberField :path="`/sun/chargers/${i}/tilt_deg`" :label="`Tilt of ${c.id}`" bare /></td>
          <td><NumberField :path="`/sun/chargers/${i}/azimuth_deg`" :label="`Direction of ${c.id}`" bare /></td>
          <td class="num">{{ share(c.id) ? amps(share(c.id)?.a) : '' }}</td>
          <td class="num">
            <button class="plain" :aria-label="`Remove ${c.id}`" @click="without('/sun/chargers', chargers, i)">Remove</button>
          </td>
        </tr>
      </tbody>
    </table>
    <div class="adding">
      <PickField
        v-model="addingSun"
        class="wide"
        label="Model of the new sun charger"
        placeholder="Sun charger from the library"
        :choices="of('sun-charger').map((p) => [p.id, `${p.name} · ${p.about}`])"
      />
      <button :disabled="!addingSun" @click="addSun">Add sun charger</button>
    </div>
    <CautionLine>The bank first, sun after it: a sun charger must never see panels without a bank.</CautionLine>
  </fieldset>
</template>

<style scoped>
.id :deep(.text) {
  width: 84px;
}
.scroll {
  overflow-x: auto;
  outline-offset: -2px;
}
td {
  padding: 4px 10px 4px 0;
}
td :deep(.pick) {
  width: 106px;
}
td.phase :deep(.pick) {
  width: 76px;
}
td.model :deep(.pick) {
  width: 138px;
}
.adding {
  display: flex;
  gap: 8px;
  margin: 12px 0 20px;
  flex-wrap: wrap;
}
.adding .wide {
  width: min(420px, 80vw);
}
</style>
