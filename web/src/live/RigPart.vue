<script setup lang="ts">
// Stand-ins of this job: simulated devices that speak the real wire formats, with displays to press keys on and faults to look for.
import { ref } from 'vue'
import { api } from '../api/client'
import { useJob } from '../job/use-job'
import { useGuarded } from '../ui/guarded'
import NoticeBar from '../ui/NoticeBar.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import FoldPart from '../ui/FoldPart.vue'
import DisplayPanel from './DisplayPanel.vue'
import type { RigState } from './use-live'
import type { RigAct } from '../api/client'

const props = defineProps<{ rig: RigState | null; act: (asked: RigAct) => Promise<void>; reads: boolean }>()
const emit = defineEmits<{ changed: [] }>()
const job = useJob()
const entries = ref<string>('planned')
const { busy, failure, guarded } = useGuarded()
const start = () =>
  guarded(async () => {
    await api.startRig(job.id, entries.value as 'planned')
    emit('changed')
  })
const end = () =>
  guarded(async () => {
    await api.endRig(job.id)
    emit('changed')
  })
// Keys are sent in their order, those pressed meanwhile together.
let queue: Promise<void> = Promise.resolve()
const waiting: Record<string, string[]> = {}
function press(device: string, key: string) {
  const held = (waiting[device] ??= [])
  held.push(key)
  if (held.length > 1) return
  queue = queue.then(async () => {
    const keys = held.splice(0)
    if (keys.length) await guarded(() => props.act({ do: 'key', device, keys }))
  })
}
const clock = (minute: number) =>
  `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(Math.floor(minute % 60)).padStart(2, '0')}`
</script>

<template>
  <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  <template v-if="!rig">
    <p>
      Simulated devices of this job, on this server only: bus, registers, displays with keys, faults. To try, to show, to learn;
      no real device is touched.
    </p>
    <p v-if="!reads" class="line">
      <PickField
        v-model="entries"
        label="What the devices show at first"
        :choices="[
          ['planned', 'all entered as planned'],
          ['found', 'as found'],
          ['factory', 'as they left the factory'],
        ]"
      />
      <button :disabled="busy" data-start-rig @click="start">{{ busy ? 'Starting' : 'Start stand-ins' }}</button>
    </p>
  </template>
  <template v-else>
    <NoticeBar>Stand-ins, no real devices. Their clock: {{ clock(rig.minute) }}.</NoticeBar>
    <div class="panels">
      <DisplayPanel
        v-for="(d, id) in rig.displays"
        :id="String(id)"
        :key="id"
        :name="rig.names[id] ?? ''"
        :display="d"
        @key="(k) => press(String(id), k)"
      />
    </div>
    <FoldPart v-if="!reads" name="live:hands" title="Hands on" says="cable, modules, speed">
      <div class="ticks">
        <TickBox
          label="Link cable in"
          :checked="rig.cable"
          @change="(on) => guarded(() => act({ do: 'act', what: 'cable', on }))"
        />
        <template v-for="m in rig.modules" :key="m.id">
          <TickBox
            v-for="what in ['module', 'charging', 'discharging'] as const"
            :key="what"
            :label="what === 'module' ? `${m.id} on the bars` : `${m.id} ${what} allowed`"
            :checked="what === 'module' ? m.connected : m[what]"
            @change="(on) => guarded(() => act({ do: 'act', what, module: m.id, on }))"
          />
        </template>
      </div>
      <PickField
        :model-value="rig.speed"
        label="Speed of the stand-ins"
        :choices="[
          [1, 'real time'],
          [60, '60 times'],
          [600, '600 times'],
        ]"
        @pick="(v) => guarded(() => act({ do: 'speed', speed: Number(v) }))"
      />
    </FoldPart>
    <FoldPart
      v-if="!reads"
      name="live:faults"
      title="Faults"
      :says="`${Object.values(rig.faults).filter(Boolean).length || 'none'} of ${Object.keys(rig.faults).length} on`"
    >
      <div class="ticks" data-faults>
        <TickBox
          v-for="(on, name) in rig.faults"
          :key="name"
          :label="rig.words[name] ?? String(name)"
          :checked="on"
          @change="(to) => guarded(() => act({ do: 'fault', name: String(name), on: to }))"
        />
      </div>
    </FoldPart>
    <p v-if="!reads"><button :disabled="busy" @click="end">End stand-ins</button></p>
  </template>
</template>

<style scoped>
.panels {
  display: flex;
  flex-wrap: wrap;
  gap: 16px 28px;
  margin: 12px 0;
}
.ticks {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(230px, 1fr));
  gap: 0 16px;
  margin-bottom: 8px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
}
</style>
