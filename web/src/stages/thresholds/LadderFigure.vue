<script setup lang="ts">
// The ladder: one vertical scale, each threshold a rung. Drag a rung, or move it with the keys; what is not permitted is hatched.
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { Plan, Rung } from '../../api/client'
import { percent, tidy } from '../../ui/figures'
import { scaleOf, spread, ticks, toneOf } from './ladder'
import { useDrag } from './use-drag'

const props = defineProps<{
  rungs: [string, Rung][]
  view: NonNullable<Plan['ladder_view']>
  kind: 'volts' | 'soc'
  chosen: string | null
  /** Nobody has asked about a rung yet: what belongs to the chosen one alone is not drawn. */
  quiet?: boolean
  ghosts?: { name: string; value: number; who: string }[]
}>()
const emit = defineEmits<{ choose: [name: string]; move: [name: string, value: number]; reset: [name: string] }>()

const box = ref<HTMLElement>()
const size = useElementSize(box, { width: 720, height: 0 })
const width = computed(() => Math.max(300, size.width.value || 720))

const volts = computed(() => props.kind === 'volts')
const height = computed(() => Math.max(480, props.rungs.length * 42 + 40))
const low = computed(() => (volts.value ? props.view.low_v : 0))
const high = computed(() => (volts.value ? props.view.high_v : 1))
const scale = computed(() => scaleOf(low.value, high.value, 10, height.value - 10))
const narrow = computed(() => width.value < 420)
const wide = computed(() => width.value >= 600)
// Where it is narrow the names get the room of the cells' scale.
const LEFT = computed(() => (!narrow.value ? 52 : volts.value ? 34 : 42))
const lead = computed(() => (narrow.value ? 18 : 30))
const right = computed(() => width.value - (volts.value && !narrow.value ? 76 : 8))
const boxX = computed(() => Math.min(LEFT.value + 196, right.value - 98))
const marks = computed(() => ticks(low.value, high.value, 5))

const { dragging, pending, down, moved, up, key } = useDrag(
  { scale, low, high },
  {
    choose: (name) => emit('choose', name),
    move: (name, value) => emit('move', name, value),
    reset: (name) => emit('reset', name),
  },
)
// A plan that has heard the last key shows its own figure again, also where it refuses the asked one.
watch(
  () => props.rungs,
  (now) => {
    const asked = pending.value
    if (asked && now.find(([n]) => n === asked.name)?.[1].wished === asked.value) pending.value = null
  },
)
const valueOf = (name: string, r: Rung) =>
  dragging.value?.name === name ? dragging.value.value : pending.value?.name === name ? pending.value.value : r.value
const rows = computed(() => {
  const values = props.rungs.map(([name, r]) => valueOf(name, r))
  const ys = values.map((v) => scale.value.y(v))
  const labels = spread(ys, 42, 24, height.value - 24)
  return props.rungs.map(([name, r], i) => ({
    name,
    r,
    value: values[i] as number,
    y: ys[i] as number,
    label: labels[i] as number,
    tone: toneOf(name),
  }))
})
const active = computed(() => props.rungs.find(([n]) => n === (dragging.value?.name ?? props.chosen)) ?? null)
const refusedRanges = computed<[number, number][]>(() => {
  if (!active.value) return []
  const r = active.value[1]
  return [
    [0, scale.value.y(r.highest)],
    [scale.value.y(r.lowest), height.value],
  ]
})
const show = (v: number) => (volts.value ? `${v.toFixed(v * 10 === Math.round(v * 10) ? 1 : 2)} V` : `${tidy(v * 100, 1)} %`)
const meaning = (name: string, r: Rung) => {
  if (dragging.value?.name === name) {
    const v = dragging.value.value
    return v < r.lowest - 1e-9
      ? `not permitted below ${show(r.lowest)}`
      : v > r.highest + 1e-9
        ? `not permitted above ${show(r.highest)}`
        : 'permitted'
  }
  if (!volts.value) return ''
  const rest = percent(r.at_rest_soc)
  if ((r.at_rest_soc ?? 0) >= 0.995) return 'full at rest'
  return props.chosen === name && !props.quiet && r.sag_v > 0 && !narrow.value
    ? `${rest} at rest, ${percent(r.under_load_soc)} loaded`
    : `${rest} at rest`
}
const zoneY = (z: { low: number; high: number }) =>
  z.low < (rows.value.at(-1)?.value ?? 0) ? scale.value.y(z.low) - 5 : scale.value.y(z.high) + 14
/** Whether a line of text there meets no name of a rung; where there is room beside the names it never does. */
const free = (y: number) => !narrow.value || rows.value.every((row) => y < row.label - 34 || y > row.label + 32)
/** As many words as a narrow figure has room for. */
const inFew = (words: string) => {
  const room = Math.floor((right.value - LEFT.value - 16) / 6.4)
  return words.length <= room ? words : `${words.slice(0, room - 1).replace(/ \S*$/, '')}…`
}
const margins = computed(() =>
  rows.value.flatMap((row) => {
    const below = rows.value.find((o) => o.name === row.r.next_below)
    const near = [row.name, below?.name].includes(active.value?.[0])
    return row.r.margin === null || row.r.margin === undefined || !below || !near || props.quiet
      ? []
      : [
          {
            key: row.name,
            y: (row.label + below.label) / 2,
            text: volts.value ? `${tidy(row.r.margin, 2)} V` : `${tidy(row.r.margin * 100, 1)} %`,
          },
        ]
  }),
)
const bands = computed(() => {
  const m = props.view.soc_marks
  return m.slice(1).map((top, i) => ({
    soc: top.soc,
    y: scale.value.y(top.v),
    h: scale.value.y((m[i] as { v: number }).v) - scale.value.y(top.v),
  }))
})
const socLabels = computed(() => {
  const shown = props.view.soc_marks.filter((m) => [0.1, 1].includes(m.soc))
  const at = shown.map((m) => scale.value.y(m.v))
  const y = spread(at, 15, 12, height.value - 12)
  return shown.map((m, i) => ({ soc: m.soc, at: at[i] as number, y: y[i] as number }))
})
</script>

<template>
  <div ref="box" class="ladder" :data-ladder="kind">
    <svg
      :width="width"
      :height="height"
      :viewBox="`0 0 ${width} ${height}`"
      role="group"
      :aria-label="volts ? 'Ladder of voltages' : 'Ladder of charge levels'"
    >
      <defs>
        <pattern :id="`hatch-${kind}`" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0v8" class="hatch" />
        </pattern>
      </defs>
      <template v-if="volts">
        <g v-for="z in view.zones" :key="z.word">
          <rect
            :x="LEFT + 8"
            :y="scale.y(z.high)"
            :width="right - LEFT - 8"
            :height="scale.y(z.low) - scale.y(z.high)"
            :fill="`url(#hatch-${kind})`"
          />
          <title>{{ z.word }}</title>
          <text v-if="free(zoneY(z))" :x="right - 8" :y="zoneY(z)" text-anchor="end" class="axis">
            {{ inFew(z.word.replace(/ [\d.]+$/, '')) }}
          </text>
        </g>
      </template>
      <g v-if="active" class="forbidden">
        <rect
          v-for="[from, to] in refusedRanges"
          :key="from"
          :x="LEFT + 8"
          :y="from"
          :width="dragging?.moved ? right - LEFT - 8 : 14"
          :height="Math.max(0, to - from)"
          :fill="`url(#hatch-${kind})`"
        />
        <path
          v-for="[from, to] in refusedRanges"
          :key="'e' + from"
          :d="`M${LEFT + 8} ${from === 0 ? to : from}h${dragging?.moved ? right - LEFT - 8 : 22}`"
          class="edge"
        />
      </g>
      <g v-for="m in marks" :key="m">
        <path :d="`M${LEFT} ${scale.y(m)}h8`" class="tick" />
        <text :x="LEFT - 6" :y="scale.y(m) + 4" text-anchor="end" class="axis">{{ volts ? tidy(m, 1) : tidy(m * 100, 0) }}</text>
      </g>
      <path :d="`M${LEFT + 8} 0V${height}M${right} 0V${height}`" class="tick" />
      <text x="2" y="12" class="axis head">{{ volts ? (narrow ? 'V' : 'volts') : '%' }}</text>
      <text v-if="volts && !narrow" :x="width - 2" y="12" text-anchor="end" class="axis head">charge</text>

      <template v-if="volts && !narrow">
        <rect
          v-for="(b, i) in bands"
          :key="b.soc"
          :x="right + 4"
          width="18"
          :y="b.y"
          :height="Math.max(0, b.h)"
          class="band"
          :opacity="0.1 + 0.08 * i"
        />
        <g v-for="s in socLabels" :key="s.soc">
          <path :d="`M${right + 22} ${s.at}L${right + 28} ${s.y}`" class="tick" />
          <text :x="right + 29" :y="s.y + 4" class="axis soc">{{ percent(s.soc) }}</text>
        </g>
      </template>

      <path
        v-for="row in rows"
        :key="row.name + 'l'"
        :d="right - boxX > 130 ? `M${boxX + 92} ${row.label}L${boxX + 116} ${row.y}H${right}` : ''"
        :stroke="row.tone"
        class="line"
        :class="{ chosen: chosen === row.name }"
      />
      <template v-if="active && !quiet && !dragging && volts && active[1].sag_v > 0.01">
        <path :d="`M${boxX + 92} ${scale.y(active[1].value + active[1].sag_v)}H${right}`" class="sag" />
        <text
          v-if="wide"
          :x="right - 8"
          :y="scale.y(active[1].value + active[1].sag_v) - 4"
          text-anchor="end"
          class="axis meaning"
        >
          the cells rest here: {{ tidy(active[1].sag_v, 2) }} V sag at {{ tidy(view.design_load_a, 0) }} A
        </text>
      </template>
      <g v-for="g in ghosts ?? []" :key="g.name + g.who" class="found" :data-ghost="g.name">
        <path :d="`M${LEFT + 8} ${scale.y(Math.min(high, Math.max(low, g.value)))}h16`" :stroke="toneOf(g.name)" />
        <circle :cx="LEFT + 27" :cy="scale.y(Math.min(high, Math.max(low, g.value)))" r="3.4" :stroke="toneOf(g.name)">
          <title>{{ g.who }} was found at {{ show(g.value) }}</title>
        </circle>
      </g>
      <g v-for="m in margins" :key="m.key + 'm'">
        <text :x="boxX + (narrow ? 92 : 46)" :y="m.y + 4" :text-anchor="narrow ? 'end' : 'middle'" class="axis margin">
          {{ m.text }}
        </text>
      </g>
      <g v-for="row in rows" :key="row.name">
        <path
          :d="`M${LEFT + 8} ${row.y}L${LEFT + lead} ${row.label}H${boxX}`"
          :stroke="row.tone"
          class="lead"
          :class="{ chosen: chosen === row.name }"
        />
        <template v-if="row.r.wished !== null && row.r.wished !== undefined && !row.r.own">
          <path :d="`M${LEFT + 8} ${scale.y(Math.min(high, Math.max(low, row.r.wished)))}H${right}`" class="ghost" />
          <text
            :x="right - 8"
            :y="scale.y(Math.min(high, Math.max(low, row.r.wished))) - 4"
            text-anchor="end"
            class="axis ghost-word"
          >
            you asked for {{ show(row.r.wished) }} at {{ row.r.word.toLowerCase() }}
          </text>
        </template>
        <text :x="LEFT + lead + 4" :y="row.label - 5" class="name" :class="{ chosen: chosen === row.name }">
          {{ row.r.word }}{{ row.r.own ? ' · yours' : '' }}
        </text>
        <text :x="LEFT + lead + 4" :y="row.label + 14" class="axis meaning">{{ meaning(row.name, row.r) }}</text>
        <g
          class="handle"
          role="slider"
          tabindex="0"
          :data-pointer="`/policy/own_figures/${row.name}`"
          :data-rung="row.name"
          :aria-label="row.r.word"
          :aria-valuenow="row.value"
          :aria-valuemin="Math.min(row.r.lowest, row.value)"
          :aria-valuemax="Math.max(row.r.highest, row.value)"
          :aria-valuetext="`${show(row.value)}, permitted ${show(row.r.lowest)} to ${show(row.r.highest)}`"
          aria-orientation="vertical"
          @pointerdown="down($event, row.name, row.r)"
          @pointermove="moved($event, row.r)"
          @pointerup="up"
          @pointercancel="dragging = null"
          @focus="emit('choose', row.name)"
          @keydown="key($event, row.name, row.r)"
        >
          <rect :x="boxX - 4" :y="row.label - 20" width="102" height="40" class="touch" />
          <rect
            :x="boxX"
            :y="row.label - 13"
            width="92"
            height="26"
            rx="2"
            class="box"
            :stroke="row.tone"
            :class="{ chosen: chosen === row.name }"
          />
          <path :d="`M${boxX + 8} ${row.label - 3}h7M${boxX + 8} ${row.label + 3}h7`" class="grip" />
          <text :x="boxX + 84" :y="row.label + 5" text-anchor="end" class="value">{{ show(row.value) }}</text>
        </g>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.ladder {
  min-width: 0;
}
svg {
  display: block;
  max-width: 100%;
}
.axis {
  font-size: 12.5px;
  fill: var(--soft);
}
.meaning {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.margin {
  font-size: 12px;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.tick {
  stroke: var(--soft);
  stroke-width: 1;
  fill: none;
  opacity: 0.7;
}
.hatch {
  stroke: var(--stop);
  stroke-width: 1.3;
  opacity: 0.42;
}
.forbidden {
  pointer-events: none;
}
.edge {
  stroke: var(--stop);
  stroke-width: 1;
  stroke-dasharray: 2 3;
}
.band {
  fill: var(--bank);
}
.line {
  fill: none;
  stroke-width: 1.2;
  opacity: 0.55;
}
.lead {
  fill: none;
  stroke-width: 1.8;
}
.line.chosen {
  stroke-width: 2;
  opacity: 1;
}
.lead.chosen {
  stroke-width: 3;
}
.sag {
  stroke: var(--soft);
  stroke-dasharray: 5 4;
}
.ghost {
  stroke: var(--stop);
  stroke-width: 1.6;
  stroke-dasharray: 8 5;
}
.ghost-word {
  fill: var(--stop);
  font-weight: 600;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.found path,
.found circle {
  fill: var(--sheet);
  stroke-width: 2;
  stroke-dasharray: 3 2;
}
.name {
  font-size: 14.5px;
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.name.chosen {
  font-weight: 700;
}
.handle {
  cursor: ns-resize;
  touch-action: none;
  outline: none;
}
.handle * {
  touch-action: none;
}
.touch {
  fill: transparent;
}
.box {
  fill: var(--raised);
  stroke-width: 1.5;
}
.box.chosen {
  stroke-width: 2.8;
}
.handle:focus-visible .touch {
  stroke: var(--focus);
  stroke-width: 2.5;
}
.grip {
  stroke: var(--soft);
  stroke-width: 1.4;
}
.value {
  font-size: 16px;
  font-weight: 700;
  user-select: none;
}
</style>
