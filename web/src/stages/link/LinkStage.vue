<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { useQuery } from '@tanstack/vue-query'
import { computed, onMounted } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../../api/client'
import { queries } from '../../api/queries'
import { useJob } from '../../job/use-job'
import { useLibrary } from '../../library/use-library'
import CautionLine from '../../ui/CautionLine.vue'
import { counted } from '../../ui/words'
import ChoiceField from '../../ui/ChoiceField.vue'
import TickBox from '../../ui/TickBox.vue'
import AddressPart from './AddressPart.vue'
import CableCard from './CableCard.vue'
import CablePart from './CablePart.vue'
import DisplayPart from './DisplayPart.vue'
import FirmwarePart from './FirmwarePart.vue'
import WaysPart from './WaysPart.vue'

const job = useJob()
const link = computed(() => job.plan.value?.link)
type Listed = { id: string; profile?: string }[] | undefined
const hostProfile = computed(() => {
  const all = [...((job.at('/units') as Listed) ?? []), ...((job.at('/sun/chargers') as Listed) ?? [])]
  return all.find((u) => u.id === link.value?.host_unit)?.profile ?? ''
})
const profile = useQuery({
  queryKey: ['profile', hostProfile],
  queryFn: () => api.profile(hostProfile.value),
  enabled: computed(() => hostProfile.value !== ''),
  staleTime: Infinity,
})
const protocols = useQuery(queries.protocols())
const ports = computed(() => (profile.data.value?.ports as { id: string; label: string; bus: string }[] | undefined) ?? [])
const taken = computed(() => (job.at(`/link/taken_ports/${link.value?.host_unit}`) as string[] | undefined) ?? [])
function take(port: string) {
  const next = taken.value.includes(port) ? taken.value.filter((p) => p !== port) : [...taken.value, port]
  job.set(`/link/taken_ports/${link.value?.host_unit}`, next.length ? next : undefined)
}
const { of } = useLibrary()
const made = useRouter().currentRoute.value.query
// Whoever comes back from describing an adapter has it in the job.
onMounted(
  () => made.kind === 'adapter/1' && made.use && job.at('/link/adapter') !== made.use && job.set('/link/adapter', made.use),
)
const adapters = computed(() => of('adapter').map((p) => [p.id, p.name] as [string, string]))
const speaking = computed<[string, string][]>(() => (link.value?.speaking ?? []).map((m) => [m, m]))
</script>

<template>
  <StageHead stage="link">
    <CautionLine>Link cables stay off until addresses are set. Isolate before opening a module or moving a cable.</CautionLine>
  </StageHead>
  <CablePart v-if="link?.cable" />
  <WaysPart :ports="ports" />
  <AddressPart v-if="link?.cable" />
  <DisplayPart v-if="link?.cable" />
  <FoldPart
    name="link:choices"
    title="Loop, host module, adapter and ports"
    :says="taken.length ? `${taken.length} ports taken` : ''"
  >
    <div class="fields">
      <ChoiceField path="/policy/loop" />
      <ChoiceField
        v-if="speaking.length > 1"
        path="/link/host_module"
        label="Host module"
        select
        :choices="speaking"
        :fallback="link?.speaking?.[0]"
      />
      <ChoiceField
        v-if="adapters.length || job.at('/link/adapter')"
        path="/link/adapter"
        select
        :choices="[['', 'none'], ...adapters]"
        fallback=""
      />
      <div v-if="ports.length" class="taken" role="group" aria-label="Ports taken by other devices">
        <span class="label">Taken by other devices</span>
        <span>
          <TickBox v-for="p in ports" :key="p.id" :label="p.label" :checked="taken.includes(p.id)" @change="take(p.id)" />
        </span>
      </div>
    </div>
  </FoldPart>
  <FoldPart
    v-if="link?.chargers?.length"
    name="link:chargers"
    title="Sun chargers"
    :says="counted(link.chargers.length, 'charger')"
    data-chargers
  >
    <ul class="plain-list">
      <li v-for="c in link.chargers" :key="c.charger">
        <b>{{ c.charger }}</b>
        {{ c.follows ? `obeys the BMS by ${c.protocol}` : 'keeps its own volts and amps' }}. {{ c.why }}
        <details v-if="c.cable && c.charger !== link.host_unit">
          <summary>Its cable: {{ c.bms_port }} of the battery to {{ c.port }}</summary>
          <template v-if="c.adapter">
            <p class="small">Battery to {{ c.adapter.name }}, port {{ c.adapter.battery_port }}, {{ c.adapter.protocol }}:</p>
            <CableCard :cable="c.adapter.cable" :bms="c.bms_port ?? ''" :unit="c.adapter.battery_port" to="adapter" />
            <p class="small">{{ c.adapter.name }}, port {{ c.adapter.device_port }}, to the charger, {{ c.protocol }}:</p>
          </template>
          <CableCard
            :cable="c.cable"
            :bms="c.adapter?.device_port ?? c.bms_port ?? ''"
            :unit="c.port ?? ''"
            :from="c.adapter ? 'adapter' : 'BMS'"
            to="charger"
          />
          <ul v-if="c.adapter?.lamps?.length" class="small">
            <li v-for="l in c.adapter.lamps" :key="l.shows">{{ l.shows }}: {{ l.means }}</li>
          </ul>
        </details>
      </li>
    </ul>
  </FoldPart>
  <FoldPart v-if="link?.units?.length" name="link:units" title="Units" says="who gets the cable, which battery type">
    <ul class="plain-list">
      <li v-for="u in link.units" :key="u.unit">
        <b>{{ u.unit }}</b>
        {{ u.cable ? 'gets the BMS cable' : link.loop === 'closed' ? 'gets no BMS cable' : 'works by its own settings' }}; battery
        {{ u.battery_type === 'protocol' ? `by protocol${u.entry ? `, entry ${u.entry}` : ''}` : 'user-defined' }}.
      </li>
    </ul>
  </FoldPart>
  <FirmwarePart />
  <FoldPart
    v-if="protocols.data.value?.length"
    name="link:protocols"
    title="Protocol families"
    :says="String(protocols.data.value.length)"
  >
    <ul class="plain-list">
      <li v-for="p in protocols.data.value" :key="p.name">
        <b>{{ p.word }}</b> {{ p.layer }}{{ p.open ? ', public specification' : '' }}: {{ p.carries }}.
        <a v-if="p.dbc" :href="`/api/protocols/${p.name}/dbc`" download>DBC file</a>
      </li>
    </ul>
  </FoldPart>
</template>

<style scoped>
.taken {
  display: grid;
  gap: 2px;
}
.taken .label {
  font-size: 13px;
  color: var(--soft);
}
.taken label {
  display: inline-flex;
  align-items: center;
  gap: 6px;
  min-height: 40px;
  margin-right: 14px;
  cursor: pointer;
}
.plain-list {
  list-style: none;
  margin: 0;
  padding: 0;
}
.plain-list li {
  padding: 4px 0;
}
</style>
