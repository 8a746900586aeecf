<script setup lang="ts">
// Ports as a drawing of the connector, its pins to name; and what is spoken on each.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { queries } from '../api/queries'
import EmptyNote from '../ui/EmptyNote.vue'
import KeptInput from '../ui/KeptInput.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import { BMS_FIELDS, portsAt } from './plate-fields'
import PlatePane from './PlatePane.vue'
import { idFrom, type OpenProfile } from './use-profile'

interface Port {
  id: string
  label: string
  connector?: '8p8c' | 'terminal'
  bus: 'can' | 'rs485'
  bitrates: number[]
  pins: Record<string, string>
  purpose?: string
}
interface Protocol {
  name: string
  version: string
  port: string
  bitrate: number
  entry?: string
}
const props = defineProps<{ profile: OpenProfile; frozen: boolean }>()
const module = computed(() => props.profile.draft.value?.ewerer === 'module/1')
const stem = computed(() => portsAt(String(props.profile.draft.value?.ewerer)))
const known = useQuery(queries.protocols())
const ports = computed(() => (props.profile.at(`${stem.value}/ports`) as Port[] | undefined) ?? [])
const protocols = computed(() => (props.profile.at(`${stem.value}/protocols`) as Protocol[] | undefined) ?? [])
const pin = ref<Record<number, number>>({})
const RATES: [number, string][] = [9600, 19200, 115200, 125000, 250000, 500000, 1000000].map((r) => [
  r,
  r >= 100000 ? `${r / 1000} kbit/s` : `${r} bit/s`,
])
const FOR_UNIT: [string, string][] = [
  ['inverter', 'the battery'],
  ['follower', 'other units'],
  ['meter', 'a meter'],
]
const FOR_MODULE: [string, string][] = [
  ['inverter', 'the unit'],
  ['module', 'other modules'],
]
const SIGNALS = ['CAN-H', 'CAN-L', 'RS485-A', 'RS485-B', 'GND', '+5 V', '+12 V']
function addPort() {
  const id = `port-${ports.value.length + 1}`
  props.profile.set(`${stem.value}/ports`, [
    ...ports.value,
    { id, label: '', connector: '8p8c', bus: 'can', bitrates: [500000], pins: {}, purpose: 'inverter' },
  ])
}
function addProtocol(port: Port) {
  props.profile.set(`${stem.value}/protocols`, [
    ...protocols.value,
    { name: '', version: '1', port: port.id, bitrate: port.bitrates[0] },
  ])
}
const setPort = (i: number, key: string, value: unknown) => props.profile.set(`${stem.value}/ports/${i}/${key}`, value)
function rename(i: number, label: string) {
  const port = ports.value[i] as Port
  const id = idFrom(label) || port.id
  const taken = ports.value.some((p, k) => k !== i && p.id === id)
  const next = taken ? port.id : id
  props.profile.setAll([
    [`${stem.value}/ports/${i}`, { ...port, label, id: next }],
    ...protocols.value.map(
      (p, k) => [`${stem.value}/protocols/${k}/port`, p.port === port.id ? next : p.port] as [string, unknown],
    ),
  ])
}
function dropPort(i: number) {
  const gone = ports.value[i]?.id
  props.profile.setAll([
    [`${stem.value}/ports`, ports.value.filter((_, k) => k !== i)],
    [`${stem.value}/protocols`, protocols.value.filter((p) => p.port !== gone)],
  ])
}
const dropProtocol = (i: number) =>
  props.profile.set(
    `${stem.value}/protocols`,
    protocols.value.filter((_, k) => k !== i),
  )
const setPin = (i: number, no: number, signal: string) => setPort(i, `pins/${no}`, signal || undefined)
const pinsOf = (p: Port) => Array.from({ length: p.connector === 'terminal' ? 12 : 8 }, (_, k) => k + 1)
const wrong = (stem: string) =>
  props.profile.problems.value.filter((p) => p.pointer === stem || p.pointer.startsWith(`${stem}/`)).map((p) => p.words)
</script>

<template>
  <section>
    <EmptyNote v-if="!ports.length" title="No port yet">
      <p v-if="!frozen">
        {{ module ? 'A battery that speaks to no unit needs none.' : "A device without a link to the battery's BMS needs none." }}
      </p>
    </EmptyNote>
    <article v-for="(p, i) in ports" :key="i" class="port" :aria-label="`Port ${p.label || i + 1}`">
      <div class="head">
        <label>Label beside it <KeptInput :value="p.label" :disabled="frozen" @commit="(t) => rename(i, t)" /></label>
        <PickField
          :model-value="p.connector ?? '8p8c'"
          label="Connector"
          :disabled="frozen"
          :choices="[
            ['8p8c', 'eight-pole jack'],
            ['terminal', 'terminals'],
          ]"
          @pick="(v) => setPort(i, 'connector', v)"
        />
        <PickField
          :model-value="p.bus"
          label="Bus"
          :disabled="frozen"
          :choices="[
            ['can', 'CAN'],
            ['rs485', 'RS485'],
          ]"
          @pick="(v) => setPort(i, 'bus', v)"
        />
        <PickField
          :model-value="p.purpose ?? 'inverter'"
          label="It is for"
          :disabled="frozen"
          :choices="module ? FOR_MODULE : FOR_UNIT"
          @pick="(v) => setPort(i, 'purpose', v)"
        />
        <button v-if="!frozen" class="plain" :aria-label="`Remove port ${p.label || i + 1}`" @click="dropPort(i)">Remove</button>
      </div>
      <div class="ticks" role="group" :aria-label="`Bit rates of ${p.label || `port ${i + 1}`}`">
        <TickBox
          v-for="[r, word] in RATES"
          :key="r"
          :label="word"
          :disabled="frozen"
          :checked="p.bitrates.includes(r)"
          @change="
            (on) => setPort(i, 'bitrates', on ? [...p.bitrates, r].sort((a, b) => a - b) : p.bitrates.filter((x) => x !== r))
          "
        />
      </div>
      <div class="pins">
        <svg
          :viewBox="`0 0 ${pinsOf(p).length * 30 + 20} 78`"
          :width="pinsOf(p).length * 30 + 20"
          height="78"
          role="group"
          :aria-label="`Pins of ${p.label || `port ${i + 1}`}`"
        >
          <path
            v-if="p.connector !== 'terminal'"
            :d="`M4 4h${pinsOf(p).length * 30 + 12}v52h-70v16h-${pinsOf(p).length * 30 - 128}v-16H4z`"
            fill="var(--raised)"
            stroke="var(--edge)"
          />
          <rect v-else x="4" y="4" :width="pinsOf(p).length * 30 + 12" height="66" fill="var(--raised)" stroke="var(--edge)" />
          <g
            v-for="n in pinsOf(p)"
            :key="n"
            class="pin"
            :class="{ named: p.pins[n], on: pin[i] === n }"
            tabindex="0"
            role="button"
            :aria-label="`Pin ${n}: ${p.pins[n] ?? 'not used'}`"
            :aria-pressed="pin[i] === n"
            @click="pin[i] = n"
            @keydown.enter.prevent="pin[i] = n"
            @keydown.space.prevent="pin[i] = n"
          >
            <rect :x="n * 30 - 15" y="8" width="22" height="34" />
            <text :x="n * 30 - 4" y="30" text-anchor="middle">{{ n }}</text>
          </g>
        </svg>
        <span v-if="pin[i] && !frozen" class="naming">
          Pin {{ pin[i] }} is
          <KeptInput
            :key="pin[i]"
            :value="p.pins[pin[i] as number] ?? ''"
            :aria-label="`Signal of pin ${pin[i]}`"
            @commit="(t) => setPin(i, pin[i] as number, t)"
          />
          <button v-for="s in SIGNALS" :key="s" class="plain" @click="setPin(i, pin[i] as number, s)">{{ s }}</button>
          <button class="plain" @click="setPin(i, pin[i] as number, '')">not used</button>
        </span>
        <span v-else class="soft small">{{
          Object.entries(p.pins)
            .map(([n, s]) => `${n} ${s}`)
            .join(' · ') || 'Press a pin to name it, as seen into the jack.'
        }}</span>
      </div>
      <ul class="speech">
        <template v-for="(s, k) in protocols" :key="k">
          <li v-if="s.port === p.id">
            speaks
            <KeptInput
              :value="s.name"
              :disabled="frozen"
              aria-label="Protocol"
              placeholder="protocol"
              list="known-protocols"
              @commit="(t) => profile.set(`${stem}/protocols/${k}/name`, idFrom(t))"
            />
            version
            <KeptInput
              :value="s.version"
              class="short"
              :disabled="frozen"
              aria-label="Version"
              @commit="(t) => profile.set(`${stem}/protocols/${k}/version`, t)"
            />
            at
            <PickField
              :model-value="s.bitrate"
              label="Bit rate"
              :disabled="frozen"
              :choices="RATES.filter(([r]) => p.bitrates.includes(r))"
              @pick="(v) => profile.set(`${stem}/protocols/${k}/bitrate`, v)"
            />
            chosen in the menu as
            <KeptInput
              :value="s.entry ?? ''"
              :disabled="frozen"
              aria-label="Entry in the menu"
              @commit="(t) => profile.set(`${stem}/protocols/${k}/entry`, t || undefined)"
            />
            <button v-if="!frozen" class="plain" :aria-label="`Remove protocol ${s.name}`" @click="dropProtocol(k)">
              Remove
            </button>
            <span v-for="w in wrong(`${stem}/protocols/${k}`)" :key="w" class="why">{{ w }}</span>
          </li>
        </template>
      </ul>
      <button v-if="!frozen" class="plain" @click="addProtocol(p)">It speaks a protocol</button>
      <span v-for="w in wrong(`${stem}/ports/${i}`)" :key="w" class="why">{{ w }}</span>
    </article>
    <datalist id="known-protocols"><option v-for="p in known.data.value ?? []" :key="p.name" :value="p.name" /></datalist>
    <p v-if="!frozen"><button @click="addPort">Add a port</button></p>
    <template v-if="module && ports.length">
      <h2>What its BMS says</h2>
      <PlatePane :profile="profile" :frozen="frozen" :only="BMS_FIELDS" />
    </template>
  </section>
</template>

<style scoped>
.port {
  border-bottom: 1px solid var(--rule);
  padding: 10px 0;
}
.head,
.ticks,
.naming,
.speech li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 10px;
  align-items: center;
}
.head :deep(.el-input),
.naming :deep(.el-input),
.speech :deep(.el-input) {
  width: 130px;
}
.head :deep(.pick),
.speech :deep(.pick) {
  width: 140px;
}
.speech :deep(.short.el-input) {
  width: 64px;
}
.speech {
  list-style: none;
  padding: 0;
  margin: 6px 0;
}
.pins {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  margin: 8px 0;
}
svg {
  max-width: 100%;
}
.pin {
  cursor: pointer;
  outline: none;
}
.pin rect {
  fill: var(--faint);
  stroke: var(--edge);
}
.pin.named rect {
  fill: var(--copper-wash);
  stroke: var(--copper);
}
.pin.on rect,
.pin:focus-visible rect {
  stroke: var(--focus);
  stroke-width: 3;
}
.pin text {
  font-size: 13px;
  fill: var(--ink);
}
.why {
  color: var(--stop);
  font-size: 13px;
}
</style>
