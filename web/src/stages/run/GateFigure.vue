<script setup lang="ts">
// What may be read, as a gate on its scale: the opening is good, its pale edges are what the meter cannot tell.
import { useMediaQuery } from '@vueuse/core'
import { computed } from 'vue'
import type { Ask } from '../../api/client'
import { tidy } from '../../ui/figures'
import { meterError } from '../../record/judge'
import type { Meter } from '../../record/types'

const props = defineProps<{ ask: Ask; value: number | null; verdict?: string | null; meter?: Meter | null }>()
// On a telephone the scale is drawn narrower, so that its words stay readable.
const small = useMediaQuery('(max-width: 640px)')
const width = computed(() => (small.value ? 380 : 630))
const gate = computed(() => props.ask.gate)
const ends = computed(() => {
  const g = gate.value
  if (!g) return null
  const known = [g.low, g.high, g.expected, ...(g.marks ?? []).map((m) => m.value)].filter((v): v is number => v != null)
  let low = Math.min(...known)
  let high = Math.max(...known)
  const width = (g.high ?? high) - (g.low ?? low) || Math.abs(high) || 1
  const pad = Math.max(width, (high - low) * 0.12)
  low -= pad
  high += pad
  if (props.value !== null) {
    low = Math.min(low, props.value - pad * 0.2)
    high = Math.max(high, props.value + pad * 0.2)
  }
  return { low, high }
})
const x = (v: number) => (ends.value ? ((v - ends.value.low) / (ends.value.high - ends.value.low)) * width.value : 0)
const from = computed(() => (gate.value?.low == null ? 0 : x(gate.value.low)))
const to = computed(() => (gate.value?.high == null ? width.value : x(gate.value.high)))
const edge = computed(() => {
  if (!ends.value) return 0
  const u = meterError(props.meter, props.ask.compared ? 0 : (gate.value?.expected ?? props.value ?? 0))
  return (u / (ends.value.high - ends.value.low)) * width.value
})
const range = computed(() => {
  const g = gate.value
  if (!g) return ''
  if (g.low != null && g.high != null)
    return g.low === g.high
      ? `${tidy(g.low, 3)} ${props.ask.unit}, exactly`
      : `${tidy(g.low, 3)} to ${tidy(g.high, 3)} ${props.ask.unit}`
  return g.low != null ? `at least ${tidy(g.low, 3)} ${props.ask.unit}` : `at most ${tidy(g.high as number, 3)} ${props.ask.unit}`
})
const middle = computed(() => Math.min(width.value - 60, Math.max(60, (from.value + to.value) / 2)))
const meterWords = computed(() => {
  const m = props.meter
  if (!m) return ''
  const due = m.due ? ` (due ${m.due})` : ''
  return ` Pale edge: ${m.name}, ±${m.pct ?? 0} %${m.digits ? ` + ${m.digits} digits` : ''}${due}.`
})
</script>

<template>
  <figure v-if="gate && ends" class="gate">
    <svg :viewBox="`0 0 ${width} 122`" role="img" :aria-label="`The gate: ${range}`">
      <rect x="0" y="46" :width="width" height="34" class="shut" />
      <rect :x="Math.max(0, from - edge)" y="46" :width="Math.min(edge, from)" height="34" class="pale" />
      <rect :x="to" y="46" :width="Math.min(edge, width - to)" height="34" class="pale" />
      <rect :x="from" y="46" :width="Math.max(to - from, 2)" height="34" class="open" />
      <path v-if="gate.low != null" :d="`M${from} 34V92`" class="post" />
      <path v-if="gate.high != null" :d="`M${to} 34V92`" class="post" />
      <text :x="middle" y="26" text-anchor="middle" class="range">{{ range }}</text>
      <template v-if="gate.expected != null && gate.low !== gate.high">
        <path :d="`M${x(gate.expected)} 46V80`" class="expected" />
        <text :x="Math.min(width - 30, Math.max(30, x(gate.expected)))" y="108" text-anchor="middle" class="expects">
          {{ tidy(gate.expected, 3) }}
        </text>
      </template>
      <text
        v-for="m in gate.marks ?? []"
        :key="m.value"
        :x="Math.min(width - 4, Math.max(4, x(m.value)))"
        y="108"
        :text-anchor="x(m.value) > width * 0.8 ? 'end' : x(m.value) < width * 0.2 ? 'start' : 'middle'"
        class="soft-text"
      >
        {{ tidy(m.value, 3) }}: {{ m.text }}
      </text>
      <g v-if="value !== null" :class="['read', verdict]">
        <path :d="`M${x(value)} 40l9 -14h-18z`" class="arrow" />
        <path :d="`M${x(value)} 40V88`" class="line" />
      </g>
    </svg>
    <figcaption class="soft small">Gate: {{ gate.why || 'common practice' }}.{{ meterWords }}</figcaption>
  </figure>
</template>

<style scoped>
.gate {
  margin: 4px 0 0;
  max-width: 640px;
}
svg {
  width: 100%;
  display: block;
  font-size: 15px;
}
.shut {
  fill: var(--faint);
}
.open {
  fill: var(--raised);
}
.pale {
  fill: var(--raised);
  opacity: 0.55;
}
.post {
  stroke: var(--ink);
  stroke-width: 3;
}
.expected {
  stroke: var(--bank);
  stroke-width: 2;
  stroke-dasharray: 4 3;
}
.range {
  font-weight: 700;
  fill: var(--ink);
}
.expects {
  fill: var(--bank);
}
.soft-text {
  fill: var(--soft);
  font-size: 13px;
}
.read .line {
  stroke: var(--bank);
  stroke-width: 3;
}
.read .arrow {
  fill: var(--bank);
}
.read.fail .line {
  stroke: var(--stop);
}
.read.fail .arrow {
  fill: var(--stop);
}
.read.unsure .line {
  stroke: var(--caution);
}
.read.unsure .arrow {
  fill: var(--caution);
}
</style>
