<script setup lang="ts">
// Live: what each device shows now beside what it should show, the bus by its frames, five minutes of volts, amps and charge.
import { computed, defineAsyncComponent } from 'vue'
import { session } from '../session/use-session'
import EmptyNote from '../ui/EmptyNote.vue'
import FoldPart from '../ui/FoldPart.vue'
import { useFold } from '../ui/folds'
import NoticeBar from '../ui/NoticeBar.vue'
import StateMark from '../ui/StateMark.vue'
import WaitNote from '../ui/WaitNote.vue'
import { vStack } from '../ui/stack'
import { counted } from '../ui/words'
import PortsPart from './PortsPart.vue'
import RigPart from './RigPart.vue'
import { shown, useLive, type LivePort } from './use-live'

const StripPlot = defineAsyncComponent(() => import('./StripPlot.vue'))
const { live, told, again, act } = useLive()
const role = computed(() => session.value?.role ?? 'reader')
const devices = computed(() => [...new Set((live.value?.rows ?? []).flatMap((r) => Object.keys(r.shown)))])
const wrong = computed(() => (live.value?.rows ?? []).filter((r) => r.right === false))
const lost = computed(() => (live.value?.ports ?? []).filter((p) => p.state === 'lost'))
const judged = computed(() => (live.value?.rows ?? []).filter((r) => r.right !== null))
const answer = computed(() => {
  if (!live.value?.ports.length) return 'No device is read yet.'
  if (lost.value.length) return `${counted(lost.value.length, 'port')} of ${live.value.ports.length} get no answer.`
  if (wrong.value.length) return `Shown and expected differ: ${wrong.value.map((r) => r.word).join(', ')}.`
  if (!judged.value.length) return 'The devices are read; nothing is expected to compare with.'
  return 'What the devices show is as expected.'
})
defineExpose({ answer })
const replayWord = (p: LivePort) => {
  const { name, clock, speed } = p.replay!
  const pace = speed === 1 ? 'as fast as it was' : `${speed} times as fast`
  return `${p.device === 'bank' ? 'The bank' : p.device}: replay of ${name}, no reading of now. It stands at ${clock.replace('T', ' ')}, ${pace}.`
}
const replays = computed(() => (live.value?.ports ?? []).filter((p) => p.replay?.clock))
const bus = computed(() => (live.value?.ports ?? []).find((p) => p.kind === 'can'))
const hex = (id: number, long: boolean) =>
  id
    .toString(16)
    .toUpperCase()
    .padStart(long ? 8 : 3, '0')
/** What people look at first, and whatever differs; the others stand behind one press. */
const FIRST = ['volts', 'amps', 'soc_pct', 'temp_c', 'charge_v', 'charge_a', 'discharge_a', 'modules', 'load_w', 'grid_w']
const few = computed(() => (live.value?.rows ?? []).filter((r) => FIRST.includes(r.name) || r.right === false))
const all = useFold('live:all')
const strip = computed(() => (live.value?.ports ?? []).find((p) => p.strip.rows.some((r) => r.slice(1).some((v) => v !== null))))
</script>

<template>
  <p class="answer" role="status" data-live-answer>
    <StateMark :state="lost.length || wrong.length ? 'stop' : judged.length ? 'ok' : 'open'" /> <b>{{ answer }}</b>
  </p>
  <NoticeBar v-if="told.isError.value" kind="bad">
    The ports cannot be read now. <button @click="again">Try again</button>
  </NoticeBar>
  <WaitNote v-else-if="told.isLoading.value" word="Asking the ports" />
  <NoticeBar v-for="p in replays" :key="p.id" kind="caution" data-replayed>
    {{ replayWord(p) }}
  </NoticeBar>
  <EmptyNote v-if="live && !live.ports.length" title="No port yet"
    >Add a port to a device below, or start stand-ins to see how it looks.</EmptyNote
  >
  <table v-if="live?.rows.length" v-stack="['Reading']" data-live>
    <caption class="visually-hidden">
      Readings now
    </caption>
    <thead>
      <tr>
        <th>Reading</th>
        <th class="num">Expected</th>
        <th v-for="d in devices" :key="d" class="num">{{ d }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="r in all ? live.rows : few" :key="r.name" :data-reading="r.name" :class="{ wrong: r.right === false }">
        <td>{{ r.word }}</td>
        <td class="num soft">{{ r.expected === null ? '' : `${r.expected} ${r.unit}` }}</td>
        <td v-for="d in devices" :key="d" class="num">
          <template v-if="r.shown[d]">
            <span :class="{ old: r.shown[d].old }">{{ shown(r, r.shown[d]) }}</span>
            <span v-if="r.shown[d].old" class="small soft"> {{ Math.round(r.shown[d].age_s) }} s old</span>
          </template>
        </td>
      </tr>
    </tbody>
  </table>
  <button v-if="live && live.rows.length > few.length" class="link" @click="all = !all">
    {{ all ? 'Show fewer' : `${live.rows.length - few.length} more readings` }}
  </button>
  <p v-if="bus && bus.unit_heard_s !== undefined" class="soft small" data-unit-heard>
    {{
      bus.unit_heard_s === null || (bus.unit_heard_s ?? 99) > 5
        ? 'The inverter gives no sign of life on the bus.'
        : `The inverter was heard on the bus ${(bus.unit_heard_s ?? 0).toFixed(1)} s ago.`
    }}
  </p>
  <FoldPart v-if="strip" name="live:strip" title="The last five minutes" says="volts, amps, charge">
    <StripPlot :strip="strip.strip" />
  </FoldPart>
  <FoldPart v-if="bus" name="live:frames" title="Frames on the bus" :says="counted(bus.frames.length, 'identifier')">
    <table v-if="bus.frames.length" v-stack="['Identifier']" data-frames>
      <thead>
        <tr>
          <th>Identifier</th>
          <th>Name</th>
          <th>Data</th>
          <th class="num">A second</th>
          <th class="num">Came</th>
          <th class="num">Age</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="f in bus.frames" :key="f.id">
          <td>
            <code>{{ hex(f.id, f.extended) }}</code>
          </td>
          <td>{{ f.name }}</td>
          <td>
            <code>{{ f.data }}</code>
          </td>
          <td class="num">{{ f.hz.toFixed(1) }}</td>
          <td class="num">{{ f.count }}</td>
          <td class="num">{{ f.age_s.toFixed(1) }} s</td>
        </tr>
      </tbody>
    </table>
    <EmptyNote v-else>No frame was heard.</EmptyNote>
    <p v-if="bus.beyond" class="small">{{ bus.beyond }} frames of further identifiers are not told apart.</p>
  </FoldPart>
  <FoldPart
    v-if="live"
    name="live:ports"
    title="Ports"
    :says="live?.ports.length ? counted(live.ports.length, 'port') : 'none yet'"
    :begins="!live?.ports.length"
  >
    <PortsPart :live="live" :role="role" @changed="again" />
  </FoldPart>
  <FoldPart v-if="live" name="live:rig" title="Stand-ins" :says="live?.rig ? 'running' : 'simulated devices to try it on'" begins>
    <RigPart :rig="live?.rig ?? null" :act="act" :reads="role === 'reader'" @changed="again" />
  </FoldPart>
</template>

<style scoped>
.answer {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 17px;
  margin: 4px 0 8px;
}
.wrong td {
  color: var(--stop);
  font-weight: 650;
}
.old {
  color: var(--soft);
  font-style: italic;
}
</style>
