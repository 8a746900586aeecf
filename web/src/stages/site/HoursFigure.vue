<script setup lang="ts">
// The loads hour by hour, as 24 bars: dragged, moved by keys, or pasted as a column of a spreadsheet. Only their ratio counts.
import { computed, ref } from 'vue'
import { useJob } from '../../job/use-job'
import { wordsAt } from '../../job/words'
import { readNumber } from '../../ui/numbers'

const HOURS = 24
const H = 120
const STEP = 5
const job = useJob()
const at = '/loads/shape'
const given = computed(() => job.at(at) as number[] | undefined)
/** Weights as percent of the largest; without any, the usual day that the plan counts with. */
const usual = computed(() =>
  String(wordsAt(at)?.default ?? '')
    .split(', ')
    .map(Number),
)
const bars = computed(() => {
  const held = given.value ?? (usual.value.length === HOURS ? usual.value : new Array<number>(HOURS).fill(1))
  const most = Math.max(...held, 1e-9)
  return held.map((w) => Math.round((100 * w) / most))
})
const drawn = ref<number[] | null>(null)
const shown = computed(() => drawn.value ?? bars.value)
function put(next: number[]) {
  if (next.some((w) => w > 0)) job.set(at, next)
}
const changed = (hour: number, to: number) => shown.value.map((w, i) => (i === hour ? Math.max(0, Math.min(100, to)) : w))
function key(event: KeyboardEvent, hour: number) {
  const by = { ArrowUp: STEP, ArrowDown: -STEP, PageUp: 20, PageDown: -20 }[event.key]
  if (by !== undefined) put(changed(hour, (shown.value[hour] ?? 0) + by))
  else if (event.key === 'ArrowRight' || event.key === 'ArrowLeft') {
    const bar = (event.currentTarget as Element)[event.key === 'ArrowRight' ? 'nextElementSibling' : 'previousElementSibling']
    if (bar instanceof SVGElement && bar.getAttribute('role') === 'slider') bar.focus()
  } else return
  event.preventDefault()
}
/** A stroke over the bars sets each hour that it passes. */
function stroke(event: PointerEvent) {
  if (event.buttons === 0) return
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  const hour = Math.floor(((event.clientX - box.left) / box.width) * HOURS)
  const to = Math.round((100 * (1 - (event.clientY - box.top) / box.height)) / STEP) * STEP
  if (hour >= 0 && hour < HOURS) drawn.value = changed(hour, to)
}
function end() {
  if (drawn.value) put(drawn.value)
  drawn.value = null
}
const failure = ref('')
function paste(event: ClipboardEvent) {
  const text = event.clipboardData?.getData('text') ?? ''
  const figures = text
    .trim()
    .split(/[\r\n\t;]+/)
    .map((cell) => readNumber(cell.trim(), '').value)
  if (figures.length < 2) return
  event.preventDefault()
  const good = figures.length === HOURS && figures.every((f) => f !== undefined && f >= 0)
  failure.value = good ? '' : `${figures.length} figures were pasted; 24 are needed, one an hour, none below 0`
  if (good) put(figures as number[])
}
</script>

<template>
  <div :data-pointer="at" tabindex="-1" @paste="paste">
    <svg
      :viewBox="`0 0 ${HOURS * 24} ${H}`"
      class="hours"
      role="group"
      aria-label="Loads by the hour"
      @pointerdown="stroke"
      @pointermove="stroke"
      @pointerup="end"
      @pointerleave="end"
      @pointercancel="drawn = null"
    >
      <rect
        v-for="(w, hour) in shown"
        :key="hour"
        role="slider"
        tabindex="0"
        :aria-label="`${hour}:00`"
        aria-valuemin="0"
        aria-valuemax="100"
        :aria-valuenow="w"
        aria-orientation="vertical"
        :data-hour="hour"
        :x="hour * 24 + 2"
        :width="20"
        :y="H - Math.max(2, (H * w) / 100)"
        :height="Math.max(2, (H * w) / 100)"
        :class="{ given }"
        @keydown="key($event, hour)"
      />
    </svg>
    <p class="axis soft small" aria-hidden="true"><span>00</span><span>06</span><span>12</span><span>18</span><span>24</span></p>
    <p class="soft small">
      {{ given ? 'Given by you.' : 'Not given: a usual day is assumed.' }} Draw over the bars, use the arrow keys, or paste 24
      figures. Their ratio counts; the energy of a day stands above.
      <button v-if="given" class="link" @click="job.set(at, undefined)">Back to the usual day</button>
    </p>
    <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  </div>
</template>

<style scoped>
.hours {
  display: block;
  width: min(576px, 100%);
  touch-action: none;
  border-bottom: 1px solid var(--soft);
}
rect {
  fill: var(--rule);
  cursor: ns-resize;
}
rect.given {
  fill: var(--load);
}
rect:focus-visible {
  outline: none;
  stroke: var(--focus);
  stroke-width: 2.5;
}
.axis {
  display: flex;
  justify-content: space-between;
  width: min(576px, 100%);
}
</style>
