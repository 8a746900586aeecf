<script setup lang="ts">
// A test that ports can watch: it says what to do, sees it happen, measures how long it took, and takes the readings itself.
import { computed, ref, watch } from 'vue'
import type { RunStep } from '../api/client'
import { counted } from '../ui/words'
import { scriptOf, sampleOf, TWICE, type Sample } from './watch'
import { useLive } from './use-live'

const props = defineProps<{ step: RunStep; host: string }>()
const emit = defineEmits<{ reading: [name: string, value: number | string]; changed: []; back: []; timed: [text: string] }>()
const EVERY_MS = 500
const { live } = useLive(EVERY_MS)
const phases = computed(() => scriptOf(props.step))
const sample = computed(() => sampleOf(live.value, props.host, Date.now()))
const at = ref(-1)
const first = ref<Sample | null>(null)
const since = ref(0)
const held = ref(0)
const times = ref<string[]>([])
const changed = ref(false)
function begin() {
  if (!sample.value) return
  first.value = sample.value
  since.value = Date.now()
  held.value = 0
  times.value = []
  changed.value = false
  at.value = 0
}
let began = 0
watch(sample, (now) => {
  const phase = phases.value[at.value]
  if (!now || !phase || !first.value) return
  if (!phase.holds(now, first.value)) {
    held.value = 0
    return
  }
  if (++held.value === 1) began = now.at
  if (held.value < TWICE && phases.value.length > 1) return
  for (const [name, value] of Object.entries(phase.reads?.(now) ?? {})) emit('reading', name, value)
  if (phase.times) times.value = [...times.value, `${phase.times} after ${((began - since.value) / 1000).toFixed(1)} s`]
  if (phase.turn === 'changed' && !changed.value) {
    changed.value = true
    emit('changed')
  }
  since.value = began
  held.value = 0
  at.value += 1
  if (at.value >= phases.value.length) {
    if (changed.value) emit('back')
    if (times.value.length) emit('timed', times.value.join('; '))
    at.value = -1
  }
})
const done = computed(() => at.value < 0 && first.value !== null)
</script>

<template>
  <div v-if="phases.length && sample" class="watch" data-watch>
    <template v-if="at < 0">
      <button @click="begin">{{ done ? 'Watch it once more' : 'Watch it over the cable' }}</button>
      <span v-if="done" role="status">{{ times.length ? `Seen: ${times.join('; ')}.` : 'Read.' }}</span>
    </template>
    <template v-else>
      <p role="status">
        <b>{{ phases[at]?.says }}</b>
        <span class="soft"> {{ at + 1 }} of {{ counted(phases.length, 'part') }}</span>
      </p>
      <button class="plain" @click="at = -1">Stop watching</button>
    </template>
  </div>
</template>

<style scoped>
.watch {
  border-left: 3px solid var(--copper);
  padding: 6px 12px;
  margin: 12px 0;
}
</style>
