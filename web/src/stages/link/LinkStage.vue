<script setup lang="ts">
import { ElRadio } from 'element-plus'
import 'element-plus/theme-chalk/el-radio.css'
import { queries } from '../../api/queries'
import PickField from '../../ui/PickField.vue'
import TickBox from '../../ui/TickBox.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, type LinkCandidate } from '../../api/client'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import StateMark from '../../ui/StateMark.vue'
import { amps, tidy } from '../../ui/figures'
import KeptInput from '../../ui/KeptInput.vue'
import { useJob } from '../../job/use-job'
import CableCard from './CableCard.vue'
import SwitchRow from './SwitchRow.vue'
import { flipped, lettersOf } from './cable'

const job = useJob()
const link = computed(() => job.plan.value?.link)
const candidates = computed(() => link.value?.candidates ?? [])
const hostIndex = computed(() => {
  const units = (job.at('/units') as { id: string; profile: string }[] | undefined) ?? []
  return units.findIndex((u) => u.id === link.value?.host_unit)
})
const hostProfile = computed(() => (job.at(`/units/${hostIndex.value}/profile`) as string | undefined) ?? '')
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
const portOf = (c: LinkCandidate) => {
  const label = ports.value.find((p) => p.id === c.unit_port)?.label
  return label ? `unit ${label}` : ''
}
const wanted = computed(() => job.at('/link/choice') as string | undefined)
const choose = (c: LinkCandidate) => job.set('/link/choice', c.key)
const moduleIndex = (id: string) =>
  ((job.at('/bank/modules') as { id: string }[] | undefined) ?? []).findIndex((m) => m.id === id)
const setSwitches = (module: string, letters: string | undefined) =>
  job.set(`/bank/modules/${moduleIndex(module)}/switches`, letters)
const speaking = computed<[string, string][]>(() => (link.value?.speaking ?? []).map((m) => [m, m]))
const loss = computed(() => job.plan.value?.quantities.link_loss_action)
const ohm = (o: number | null) => (o === null ? 'open' : `${tidy(o)} Ω`)

interface Note {
  profile: string
  version: string
  verdict: 'good' | 'bad'
  why?: string
}
const notes = computed(() => (job.at('/link/firmware_notes') as Note[] | undefined) ?? [])
const noteOf = (f: { profile: string; version?: string | null }) =>
  notes.value.find((n) => n.profile === f.profile && n.version === f.version)
function note(f: { profile: string; version?: string | null }, verdict: string, why?: string) {
  if (!f.version) return
  const rest = notes.value.filter((n) => !(n.profile === f.profile && n.version === f.version))
  const next: Note[] =
    verdict === ''
      ? rest
      : [...rest, { profile: f.profile, version: f.version, verdict: verdict as 'good' | 'bad', ...(why ? { why } : {}) }]
  job.set('/link/firmware_notes', next.length ? next : undefined)
}
const VERDICT: Record<string, string> = {
  good: 'known good',
  bad: 'known bad',
  unknown: 'not on the list',
  'not-noted': 'not noted',
}
const firmware = computed(() => {
  const seen = new Map<string, { devices: string[]; row: NonNullable<typeof link.value>['firmware'][number] }>()
  for (const f of link.value?.firmware ?? []) {
    const key = `${f.profile} ${f.version}`
    const had = seen.get(key)
    if (had) had.devices.push(f.device)
    else seen.set(key, { devices: [f.device], row: f })
  }
  return [...seen.values()]
})
</script>

<template>
  <h1>Link</h1>
  <p v-if="link" class="lede">
    <b>{{ link.loop === 'closed' ? 'Closed loop' : 'Open loop' }}.</b> {{ link.why }}
  </p>
  <CautionLine>Link cables stay off until addresses are set. Isolate before opening a module or moving a cable.</CautionLine>

  <div class="fields top">
    <ChoiceField path="/policy/loop" />
    <ChoiceField
      v-if="speaking.length > 1"
      path="/link/host_module"
      label="Host module"
      select
      :choices="speaking"
      :fallback="link?.speaking?.[0]"
    />
    <div v-if="ports.length" class="taken" role="group" aria-label="Ports taken by other devices">
      <span class="label">Taken by other devices</span>
      <span>
        <TickBox v-for="p in ports" :key="p.id" :label="p.label" :checked="taken.includes(p.id)" @change="take(p.id)" />
      </span>
    </div>
  </div>

  <fieldset data-pointer="/link/choice">
    <legend>Ways to talk, the best first</legend>
    <EmptyNote v-if="!candidates.length">Ways to talk follow once there are modules and a unit.</EmptyNote>
    <div class="ways" role="radiogroup" aria-label="Ways to talk">
      <div v-for="c in candidates" :key="c.key" :class="{ chosen: c.chosen, no: !c.possible }" :data-way="c.key">
        <ElRadio
          :model-value="c.chosen ? c.key : ''"
          :value="c.key"
          :disabled="!c.possible"
          :validate-event="false"
          @change="choose(c)"
        >
          <StateMark :state="!c.possible ? 'stop' : c.speaks_against.some((p) => p.severity === 'caution') ? 'caution' : 'ok'" />
          <b>{{ c.word }}</b>
          <span class="soft small">
            {{
              [c.family, portOf(c), c.bitrate ? `${c.bitrate / 1000} kbit/s` : '', c.entry ? `entry ${c.entry}` : '']
                .filter(Boolean)
                .join(' · ')
            }}
          </span>
        </ElRadio>
        <p v-if="c.speaks_for.length" class="small">for: {{ c.speaks_for.join('; ') }}</p>
        <p v-if="c.speaks_against.length" class="small against">against: {{ c.speaks_against.map((p) => p.text).join('; ') }}</p>
      </div>
    </div>
    <button v-if="wanted" @click="job.set('/link/choice', undefined)">Back to the best</button>
  </fieldset>

  <template v-if="link?.cable">
    <fieldset data-pointer="/link/cable" tabindex="-1">
      <legend>Cable card</legend>
      <div class="fields">
        <ChoiceField path="/link/cable" />
        <NumberField path="/link/length_m" />
        <NumberField path="/link/measured_ohm" />
        <a class="button print" :href="`/api/jobs/${job.id}/cable`" download>Print (PDF)</a>
      </div>
      <p class="kind">
        <b>{{
          { patch: 'A straight patch cable does.', made: 'A made cable.', terminal: 'Wires to terminals.' }[link.cable.kind]
        }}</b>
        {{ link.cable.advice.join(' ') }}
      </p>
      <CableCard :cable="link.cable" :bms="link.bms_port_label ?? ''" :unit="link.unit_port_label ?? ''" />
      <p v-if="link.terminators" class="small">
        Ohms across the pair, power off:
        <span v-for="(o, n) in link.terminators.expected_ohm" :key="n" class="ohm" :class="{ right: n === 2 }"
          ><b>{{ ohm(o) }}</b> {{ n }} in</span
        >
        two are right<template v-if="link.terminators.found !== null && link.terminators.found !== undefined"
          >; {{ tidy(link.terminators.measured_ohm ?? 0, 1) }} Ω measured means {{ link.terminators.found }}</template
        >.
      </p>
    </fieldset>

    <fieldset v-if="link.addresses">
      <legend>Addresses</legend>
      <p class="small soft">
        Switch 1 counts {{ link.addresses.least_first ? 'least' : 'most' }}, on is {{ link.addresses.on_is }}. Flip the right-hand
        ones to what you find.
      </p>
      <table class="addresses">
        <thead>
          <tr>
            <th>Module</th>
            <th class="num">Address</th>
            <th>As drawn</th>
            <th>As found</th>
            <th><span class="visually-hidden">Verdict</span></th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="m in link.addresses.modules"
            :key="m.module"
            :data-pointer="`/bank/modules/${moduleIndex(m.module)}/switches`"
            tabindex="-1"
          >
            <td>
              <b>{{ m.module }}</b> <span v-if="m.host" class="soft">host</span>
            </td>
            <td class="num">{{ m.address }}</td>
            <td><SwitchRow :up="m.switches" :label="`${m.module} as drawn`" /></td>
            <td>
              <SwitchRow
                v-if="m.found"
                :up="m.found"
                live
                :label="`${m.module} as found`"
                :wrong="m.found.map((f, i) => f !== m.switches[i])"
                @flip="(i) => setSwitches(m.module, flipped(lettersOf(m.found ?? []), i))"
              />
              <button v-else @click="setSwitches(m.module, lettersOf(m.switches))">Found as drawn</button>
            </td>
            <td class="verdict">
              <template v-if="m.ok !== null"
                ><StateMark :state="m.ok ? 'ok' : 'stop'" />
                <span v-if="!m.ok" class="small">{{
                  m.found_address === null ? 'count again' : `this is ${m.found_address}`
                }}</span></template
              >
            </td>
          </tr>
        </tbody>
      </table>
      <ol class="steps">
        <li v-for="s in link.addresses.steps" :key="s">{{ s }}</li>
      </ol>
      <p v-if="link.addresses.path.length" class="small">
        <span v-for="(p, i) in link.addresses.path" :key="i"
          >{{ p.from }} {{ p.from_port }} to {{ p.to }} {{ p.to_port }}{{ i < link.addresses.path.length - 1 ? '; ' : '.' }}
        </span>
      </p>
    </fieldset>

    <fieldset>
      <legend>What the inverter should show</legend>
      <table data-displays>
        <thead>
          <tr>
            <th>With</th>
            <th class="num">Bank</th>
            <th class="num">Charge to</th>
            <th class="num">In</th>
            <th class="num">Out</th>
            <th>Mind</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="d in link.displays" :key="d.case" :data-display="d.case">
            <td>{{ d.word }}</td>
            <template v-if="d.charge_a !== null">
              <td class="num">{{ d.volts === null ? 'as measured' : `${tidy(d.volts, 1)} V` }}</td>
              <td class="num">{{ d.charge_v === null ? 'not known' : `${tidy(d.charge_v, 1)} V` }}</td>
              <td class="num">
                <b>{{ amps(d.charge_a) }}</b>
              </td>
              <td class="num">
                <b>{{ amps(d.discharge_a) }}</b>
              </td>
            </template>
            <td v-else colspan="4" class="num nothing">nothing, or all zeros</td>
            <td class="small">{{ d.note }}</td>
          </tr>
        </tbody>
      </table>
      <div class="fields loss">
        <ChoiceField path="/policy/link_loss" />
        <p v-if="loss" class="said">
          <b>{{ loss.value === 'carry-on' ? 'Carry on' : 'Stop' }}:</b> {{ loss.reasons[0]?.text }}.
        </p>
      </div>
    </fieldset>
  </template>

  <fieldset v-if="link?.units?.length">
    <legend>Units</legend>
    <ul class="plain-list">
      <li v-for="u in link.units" :key="u.unit">
        <b>{{ u.unit }}</b>
        {{ u.cable ? 'gets the BMS cable' : link.loop === 'closed' ? 'gets no BMS cable' : 'works by its own settings' }}; battery
        {{ u.battery_type === 'protocol' ? `by protocol${u.entry ? `, entry ${u.entry}` : ''}` : 'user-defined' }}.
      </li>
    </ul>
  </fieldset>
  <fieldset v-if="firmware.length">
    <legend>Firmware</legend>
    <table>
      <thead>
        <tr>
          <th>Devices</th>
          <th>Version</th>
          <th>List says</th>
          <th>You say</th>
          <th>Why</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ devices, row } in firmware" :key="devices.join()">
          <td>{{ devices.join(', ') }}</td>
          <td>{{ row.version ?? 'read it' }}</td>
          <td>
            <StateMark :state="row.verdict === 'good' ? 'ok' : row.verdict === 'bad' ? 'caution' : 'open'" />
            {{ VERDICT[row.verdict]
            }}<span v-if="row.known_good.length" class="soft small"> · good: {{ row.known_good.join(', ') }}</span>
            <span v-if="row.why" class="small"><br />{{ row.why }}</span>
          </td>
          <td>
            <PickField
              v-if="row.version"
              class="verdict-pick"
              :label="`Your verdict on ${row.version}`"
              :model-value="noteOf(row)?.verdict ?? ''"
              :choices="[
                ['', 'nothing'],
                ['good', 'good'],
                ['bad', 'bad'],
              ]"
              @pick="(v) => note(row, String(v), noteOf(row)?.why)"
            />
          </td>
          <td>
            <KeptInput
              v-if="noteOf(row)"
              :aria-label="`Why, for ${row.version}`"
              :value="noteOf(row)?.why ?? ''"
              @commit="(text) => note(row, noteOf(row)?.verdict ?? '', text)"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </fieldset>
  <fieldset v-if="protocols.data.value?.length">
    <legend>Protocol families</legend>
    <ul class="plain-list">
      <li v-for="p in protocols.data.value" :key="p.name">
        <b>{{ p.word }}</b> {{ p.layer }}{{ p.open ? ', public specification' : '' }}: {{ p.carries }}.
        <a v-if="p.dbc" :href="`/api/protocols/${p.name}/dbc`" download>DBC file</a>
      </li>
    </ul>
  </fieldset>
</template>

<style scoped>
.top {
  margin: 10px 0;
}
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
input[type='checkbox'],
input[type='radio'] {
  min-height: 20px;
  width: 20px;
  height: 20px;
  accent-color: var(--copper);
}
.ways {
  margin: 0 0 8px;
}
.ways > div {
  border-bottom: 1px solid var(--faint);
  padding: 2px 10px 6px;
  border-left: 3px solid transparent;
}
.ways > .chosen {
  border-left-color: var(--copper);
  background: var(--copper-wash);
}
.ways label {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  min-height: 40px;
  cursor: pointer;
}
.ways p {
  margin-left: 30px;
}
.against {
  color: var(--soft);
}
.chosen .against {
  color: var(--ink);
}
.print {
  align-self: end;
}
.kind {
  margin: 10px 0 4px;
}
.ohm {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 8px;
  margin-right: 6px;
  display: inline-block;
}
.ohm.right {
  border-color: var(--bank);
  border-width: 2px;
}
.addresses {
  max-width: 620px;
}
.verdict {
  white-space: nowrap;
}
.steps {
  margin: 8px 0;
  padding-left: 20px;
}
.nothing {
  color: var(--soft);
}
.loss {
  margin-top: 10px;
}
.said {
  padding-top: 26px;
  flex: 1 1 300px;
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
