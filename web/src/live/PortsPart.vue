<script setup lang="ts">
// The ports of a job: where each leads, how it stands, and a new one. Only addresses that an administrator listed are taken.
import { computed, reactive } from 'vue'
import { api } from '../api/client'
import { useJob } from '../job/use-job'
import { useGuarded } from '../ui/guarded'
import PickField from '../ui/PickField.vue'
import PlainInput from '../ui/PlainInput.vue'
import StateMark from '../ui/StateMark.vue'
import TickBox from '../ui/TickBox.vue'
import { vStack } from '../ui/stack'
import ReadByCable from './ReadByCable.vue'
import type { Live, LivePort } from './use-live'

const props = defineProps<{ live: Live | undefined; role: string }>()
const emit = defineEmits<{ changed: [] }>()
const job = useJob()
const { failure, guarded: asked } = useGuarded()
const guarded = (what: () => Promise<unknown>) => asked(() => what().then(() => emit('changed')))
const devices = computed(() => [
  ['bank', 'the bank'] as const,
  ...[...(job.plan.value?.units ?? []), ...(job.plan.value?.devices ?? [])].map((u) => [u.id, u.id] as const),
])
const made = reactive({ device: 'bank', way: 'tcp-map', host: '', port: '502', path: '', channel: 'can0', unit: '' })
const serial = computed(() => made.way.startsWith('rtu'))
const bus = computed(() => made.way === 'can')
const family = computed(() => (job.plan.value?.link?.protocol ?? '').split(' ')[0] || undefined)
const add = () =>
  guarded(() =>
    api.addPort(job.id, made.device, {
      kind: bus.value ? 'can' : serial.value ? 'modbus-rtu' : 'modbus-tcp',
      map: made.way.endsWith('map') && !bus.value,
      ...(bus.value
        ? {
            interface: 'socketcan',
            channel: made.channel,
            bitrate: job.plan.value?.link?.bitrate ?? undefined,
            family: family.value,
          }
        : serial.value
          ? { path: made.path }
          : { host: made.host.trim(), port: Number(made.port) || 502 }),
      ...(made.unit.trim() && !bus.value ? { unit_id: Number(made.unit) } : {}),
    }),
  )
const state = (p: LivePort) => ({ open: 'ok', opening: 'open', lost: 'stop', closed: 'open' })[p.state] ?? 'open'
const WORDS: Record<string, string> = { open: 'read now', opening: 'opening', lost: 'does not answer', closed: 'closed' }
const reader = computed(() => props.role === 'reader')
</script>

<template>
  <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  <table v-if="live?.ports.length" v-stack>
    <thead>
      <tr>
        <th></th>
        <th>Device</th>
        <th>Where</th>
        <th>Stands</th>
        <th><span class="visually-hidden">Actions</span></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="p in live.ports" :key="p.id" :data-port="`${p.kind} ${p.device}`">
        <td><StateMark :state="state(p)" /></td>
        <td>
          <b>{{ p.device }}</b>
        </td>
        <td class="small">{{ p.at }}{{ p.stand_in ? ', stand-in' : '' }}</td>
        <td class="small">
          {{ p.replay?.clock ? `at ${p.replay.clock.replace('T', ' ')}` : (WORDS[p.state] ?? p.state)
          }}<template v-if="p.error">: {{ p.error }}</template>
        </td>
        <td class="acts">
          <template v-if="p.map && !reader">
            <ReadByCable :port="p.id" :device="p.device" kind="as-found" />
            <ReadByCable :port="p.id" :device="p.device" kind="read-back" />
            <TickBox
              v-if="role === 'lead'"
              :label="`${p.device} may be written`"
              :checked="p.writes"
              @change="(on) => guarded(() => api.letWrite(job.id, p.id, on))"
            />
            <span v-else-if="p.writes" class="small">may be written</span>
          </template>
          <button
            v-if="!reader && !p.stand_in"
            class="plain"
            :aria-label="`Remove the port of ${p.device}`"
            @click="guarded(() => api.dropPort(job.id, p.id))"
          >
            Remove
          </button>
        </td>
      </tr>
    </tbody>
  </table>
  <form v-if="!reader" class="new" @submit.prevent="add">
    <PickField v-model="made.device" label="Device to read" :choices="devices" />
    <PickField
      v-model="made.way"
      class="wide"
      label="Way to read it"
      :choices="[
        ['tcp-map', 'Modbus TCP, registers of its profile'],
        ['tcp-models', 'Modbus TCP, SunSpec'],
        ['rtu-map', 'serial line, registers of its profile'],
        ['rtu-models', 'serial line, SunSpec'],
        ['can', 'CAN bus of the battery'],
      ]"
    />
    <PlainInput v-if="bus" v-model="made.channel" class="middle" aria-label="CAN interface" placeholder="can0" />
    <PlainInput v-else-if="serial" v-model="made.path" class="middle" aria-label="Serial line" placeholder="/dev/ttyUSB0" />
    <template v-else>
      <PlainInput v-model="made.host" class="middle" aria-label="Address" placeholder="192.168.4.20" />
      <PlainInput v-model="made.port" class="short" aria-label="TCP port" inputmode="numeric" />
    </template>
    <PlainInput v-if="!bus" v-model="made.unit" class="short" aria-label="Unit id" placeholder="unit id" inputmode="numeric" />
    <button>Add the port</button>
  </form>
  <p class="soft small">
    Reading changes nothing. Addresses beyond this machine have to be listed by an administrator. Writing stays off until a lead
    switches it on for one device.
  </p>
</template>

<style scoped>
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: center;
}
.new {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  margin-top: 12px;
}
.short {
  width: 92px;
}
.middle {
  width: 180px;
}
</style>
