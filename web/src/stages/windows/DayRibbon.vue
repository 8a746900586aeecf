<script setup lang="ts">
// The day ribbon: price behind, windows on top, every unit's slots beneath, conflicts hatched. Drag, or move with the keys.
import { computed, ref } from 'vue'
import type { Clash, PriceStretch, UnitWindows } from '../../api/client'
import { inBrief } from '../../ui/figures'
import { clock, DAY, minutes, moved, pieces, toneOf, xOf, type Piece, type Win } from './ribbon'

const props = defineProps<{
  windows: Win[]
  day: number
  width: number
  units: UnitWindows[]
  prices: PriceStretch[]
  clashes: Clash[]
  chosen: number | null
  /** Which windows hold in the part of the year that is shown; all where left out. */
  held?: number[]
}>()
const emit = defineEmits<{ choose: [index: number]; change: [index: number, next: Win]; remove: [index: number] }>()
const STEP = 15
const LEFT = 64
const TOP = 46
const ROW = 44
const inner = computed(() => Math.max(260, props.width - LEFT - 8))
const x = (m: number) => LEFT + xOf(m, inner.value)
const drag = ref<{ index: number; grip: 'all' | 'from' | 'to'; startX: number; next: Win } | null>(null)
const shown = computed(() => props.windows.map((w, i) => (drag.value?.index === i ? drag.value.next : w)))
const blocks = computed(() => pieces(shown.value, props.day, props.held))
const slotRows = computed(() => {
  const seen = new Map<string, { units: string[]; u: UnitWindows }>()
  for (const u of props.units) {
    const key = JSON.stringify(u.slots)
    const had = seen.get(key)
    if (had) had.units.push(u.unit)
    else seen.set(key, { units: [u.unit], u })
  }
  return [...seen.values()]
})
const height = computed(() => TOP + ROW + 12 + slotRows.value.length * 28 + 14)
const top = computed(() => Math.max(0.0001, ...props.prices.map((p) => p.price)))
const words = (w: Win) =>
  `${w.action}${w.target_soc === undefined ? '' : ` to ${Math.round(w.target_soc * 100)} %`}${w.power_w === undefined ? '' : ` at ${w.power_w} W`}`
const label = (p: Piece) => {
  const w = shown.value[p.index] as Win
  return `Window ${p.index + 1}: ${words(w)}, ${w.from} to ${w.to}${p.part === 'whole' ? '' : ', over midnight'}`
}
function down(event: PointerEvent, p: Piece, grip: 'all' | 'from' | 'to') {
  if (event.button !== 0) return
  event.stopPropagation()
  emit('choose', p.index)
  // The whole drawing keeps the pointer: over midnight a block is split, and its shape made anew.
  ;(event.currentTarget as SVGElement).ownerSVGElement?.setPointerCapture(event.pointerId)
  drag.value = { index: p.index, grip, startX: event.clientX, next: props.windows[p.index] as Win }
}
function move(event: PointerEvent) {
  const d = drag.value
  if (!d) return
  const by = ((event.clientX - d.startX) / inner.value) * DAY
  drag.value = { ...d, next: moved(props.windows[d.index] as Win, by, d.grip, STEP) }
}
function up() {
  const d = drag.value
  drag.value = null
  const was = d && props.windows[d.index]
  if (d && was && (was.from !== d.next.from || was.to !== d.next.to)) emit('change', d.index, d.next)
}
function key(event: KeyboardEvent, p: Piece) {
  const by = { ArrowRight: STEP, ArrowLeft: -STEP }[event.key]
  const w = props.windows[p.index] as Win
  if (by !== undefined) {
    event.preventDefault()
    emit('change', p.index, moved(w, by, event.shiftKey ? 'to' : event.altKey ? 'from' : 'all', STEP))
  } else if (event.key === 'Delete' || event.key === 'Backspace') {
    event.preventDefault()
    emit('remove', p.index)
  } else if (event.key === 'Enter' || event.key === ' ') {
    event.preventDefault()
    emit('choose', p.index)
  }
}
</script>

<template>
  <svg
    :width="width"
    :height="height"
    :viewBox="`0 0 ${width} ${height}`"
    role="group"
    aria-label="Day ribbon"
    data-ribbon
    @pointermove="move"
    @pointerup="up"
    @pointercancel="drag = null"
  >
    <defs>
      <pattern id="clash" width="7" height="7" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
        <path d="M0 0v7" class="hatch" />
      </pattern>
    </defs>
    <g v-if="prices.length">
      <rect
        v-for="b in prices"
        :key="b.start"
        :x="x(b.start)"
        :width="Math.max(0.5, x(b.end) - x(b.start))"
        :y="TOP - 6 - (34 * Math.max(0, b.price)) / top"
        :height="(34 * Math.max(0, b.price)) / top"
        class="price"
      />
      <text
        v-for="b in prices.filter((v) => v.end - v.start >= 90)"
        :key="'t' + b.start"
        :x="(x(b.start) + x(b.end)) / 2"
        :y="TOP - 10"
        text-anchor="middle"
        class="small-text"
      >
        {{ b.price }}
      </text>
    </g>
    <text x="0" :y="TOP + 26" class="small-text">wanted</text>
    <rect :x="LEFT" :y="TOP" :width="inner" :height="ROW" class="track" />
    <g v-for="p in blocks" :key="`${p.index}${p.part === 'morning' ? 'm' : ''}`">
      <g
        class="window"
        :class="{ chosen: chosen === p.index }"
        role="button"
        tabindex="0"
        :aria-label="label(p)"
        :data-window="p.index"
        :data-part="p.part"
        @pointerdown="down($event, p, 'all')"
        @keydown="key($event, p)"
        @focus="emit('choose', p.index)"
      >
        <rect
          :x="x(p.from)"
          :y="TOP + 2"
          :width="Math.max(3, x(p.to) - x(p.from))"
          :height="ROW - 4"
          :fill="toneOf((shown[p.index] as Win).action)"
          class="block"
        />
        <text v-if="x(p.to) - x(p.from) > 64" :x="x(p.from) + 12" :y="TOP + 20" class="on">
          {{ (shown[p.index] as Win).action }}
        </text>
        <text v-if="chosen === p.index && x(p.to) - x(p.from) > 92" :x="x(p.from) + 12" :y="TOP + 36" class="on light">
          {{ clock(p.from) }}–{{ clock(p.to) }}
        </text>
      </g>
      <rect
        v-if="p.part !== 'morning'"
        :x="x(p.from) - 6"
        :y="TOP"
        width="12"
        :height="ROW"
        class="grip"
        :data-grip-from="p.index"
        @pointerdown="down($event, p, 'from')"
      />
      <rect
        v-if="p.part !== 'evening'"
        :x="x(p.to) - 6"
        :y="TOP"
        width="12"
        :height="ROW"
        class="grip"
        :data-grip-to="p.index"
        @pointerdown="down($event, p, 'to')"
      />
    </g>
    <g v-for="c in clashes" :key="`${c.start}-${c.first}-${c.second}`" data-clash>
      <rect :x="x(c.start)" :y="TOP - 2" :width="x(c.end) - x(c.start)" :height="ROW + 4" fill="url(#clash)" class="clash" />
      <title>
        Windows {{ c.first + 1 }} and {{ c.second + 1 }} want different things from {{ clock(c.start) }} to {{ clock(c.end) }}
      </title>
    </g>
    <g v-for="(row, i) in slotRows" :key="row.units.join()">
      <text x="0" :y="TOP + ROW + 26 + i * 28" class="small-text">
        {{ inBrief(row.units) }}
        <title>{{ row.units.join(', ') }}</title>
      </text>
      <rect :x="LEFT" :y="TOP + ROW + 12 + i * 28" :width="inner" height="20" class="track" />
      <template v-for="(s, k) in row.u.slots" :key="k">
        <rect
          v-for="[a, b] in minutes(s.start) < minutes(s.end)
            ? [[minutes(s.start), minutes(s.end)]]
            : [
                [minutes(s.start), DAY],
                [0, minutes(s.end)],
              ]"
          :key="a"
          :x="x(a as number)"
          :y="TOP + ROW + 14 + i * 28"
          :width="Math.max(1.5, x(b as number) - x(a as number))"
          height="16"
          :fill="toneOf(s.charge_allowed ? 'charge' : s.holds ? 'hold' : s.free ? '' : s.exports ? 'export' : 'use')"
          class="slot"
        >
          <title>{{ s.kind }} {{ s.start }} to {{ s.end }} {{ s.note }}</title>
        </rect>
      </template>
    </g>
    <g v-for="h in [0, 6, 12, 18, 24]" :key="h">
      <path :d="`M${x(h * 60)} ${TOP - 4}V${height - 14}`" class="hour" />
      <text :x="x(h * 60)" :y="height - 2" :text-anchor="h === 0 ? 'start' : h === 24 ? 'end' : 'middle'" class="small-text">
        {{ String(h).padStart(2, '0') }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  max-width: 100%;
  user-select: none;
}
.small-text {
  font-size: 12px;
  fill: var(--soft);
}
.track {
  fill: var(--paper);
  stroke: var(--rule);
}
.price {
  fill: var(--copper);
  opacity: 0.28;
}
.block {
  opacity: 0.88;
}
.window {
  cursor: grab;
  touch-action: none;
  outline: none;
}
.window:focus-visible .block,
.window.chosen .block {
  stroke: var(--ink);
  stroke-width: 2.5;
}
.on {
  fill: var(--sheet);
  font-size: 14px;
  font-weight: 650;
  pointer-events: none;
}
.on.light {
  font-weight: 400;
  font-size: 12.5px;
}
.grip {
  fill: transparent;
  cursor: ew-resize;
  touch-action: none;
}
.hour {
  stroke: var(--soft);
  opacity: 0.25;
  pointer-events: none;
}
.hatch {
  stroke: var(--stop);
  stroke-width: 2.2;
}
.clash {
  stroke: var(--stop);
  stroke-width: 1.5;
  pointer-events: none;
}
.slot {
  opacity: 0.55;
}
</style>
