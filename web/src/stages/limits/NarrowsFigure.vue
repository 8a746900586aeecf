<script setup lang="ts">
// The narrows: the chain of caps as a channel as wide as the amps; the narrowest reach is named, dashed walls are one module gone.
import { useElementSize } from '@vueuse/core'
import { computed, onMounted, ref } from 'vue'
import type { Chain } from '../../api/client'
import { amps } from '../../ui/figures'
import { layNarrows } from './narrows'

const props = defineProps<{ chain: Chain; title: string; kind: 'charge' | 'discharge'; chosen: string | null }>()
const emit = defineEmits<{ choose: [cap: string] }>()
const LANES = 132
const box = ref<HTMLElement>()
const size = useElementSize(box, { width: 760, height: 0 })
// Each reach keeps the width that its words need; where there is less room the figure is moved sideways.
const REACH = 66
const width = computed(() => Math.max(REACH * props.chain.caps.length + LANES, size.width.value || 760))
const H = 104
const TOP = 44
const laid = computed(() => layNarrows(props.chain, { width: width.value, height: H, lanes: LANES }))
/** A figure stands where the way gets narrower, and at the limit that is chosen. */
const tells = (i: number) => {
  const cap = props.chain.caps[i]
  return !!cap && (cap.cap === props.chosen || props.chain.caps.slice(0, i).every((c) => c.a > cap.a))
}
const road = ref<HTMLElement>()
onMounted(() => {
  // On a telephone the limit that counts is in sight at once.
  const neck = laid.value.reaches.find((r) => r.narrowest)
  if (road.value && neck) road.value.scrollLeft = neck.x + neck.width / 2 - road.value.clientWidth / 2
})
function walk(event: KeyboardEvent) {
  const by = { ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1, Enter: 0, ' ': 0 }[event.key]
  if (by === undefined) return
  event.preventDefault()
  const caps = props.chain.caps.map((c) => c.cap)
  const at = caps.indexOf(props.chosen ?? props.chain.binding ?? '')
  const next = caps[Math.min(caps.length - 1, Math.max(0, at + by))]
  if (next) emit('choose', next)
}
const words = (word: string): string[] => {
  const all = word.replace(',', '').split(' ')
  const half = Math.ceil(all.length / 2)
  return all.length > 1 ? [all.slice(0, half).join(' '), all.slice(half).join(' ')] : [word]
}
const needed = computed(() => props.chain.needed_a)
</script>

<template>
  <div ref="box" class="narrows" :class="kind">
    <h2>{{ title }}</h2>
    <div ref="road" class="scroll">
      <svg
        :width="width"
        :height="TOP + H + 34"
        :viewBox="`0 0 ${width} ${TOP + H + 34}`"
        role="listbox"
        :aria-label="`${title}, chain of limits`"
        tabindex="0"
        :aria-activedescendant="`cap-${kind}-${chosen ?? chain.binding}`"
        @keydown="walk"
      >
        <g :transform="`translate(0 ${TOP})`">
          <path :d="laid.outline" class="water" />
          <path
            v-for="l in laid.lanes"
            :key="l.unit"
            :d="`M${laid.end} ${Math.max(laid.middle - (chain.bank_a * laid.perAmp) / 2, Math.min(laid.middle + (chain.bank_a * laid.perAmp) / 2, l.y))}C${laid.end + 18} ${l.y} ${laid.end + 8} ${l.y} ${laid.end + 30} ${l.y}H${width - 2}V${l.y + l.height}H${laid.end + 30}C${laid.end + 8} ${l.y + l.height} ${laid.end + 18} ${l.y + l.height} ${laid.end} ${Math.max(laid.middle - (chain.bank_a * laid.perAmp) / 2, Math.min(laid.middle + (chain.bank_a * laid.perAmp) / 2, l.y + l.height))}Z`"
            class="lane"
            :class="l.kind"
          />
          <text v-for="l in laid.labels" :key="l.text" :x="laid.end + 36" :y="l.y + 5" class="unit">{{ l.text }}</text>
          <template v-if="needed">
            <path
              :d="`M0 ${laid.middle - (needed * laid.perAmp) / 2}H${laid.end}M0 ${laid.middle + (needed * laid.perAmp) / 2}H${laid.end}`"
              class="needed"
            />
          </template>
          <g v-for="(r, i) in laid.reaches" :key="r.cap">
            <template v-if="r.dashedHalf !== null">
              <path
                :d="`M${r.x + 3} ${laid.middle - r.dashedHalf}h${r.width - 6}M${r.x + 3} ${laid.middle + r.dashedHalf}h${r.width - 6}`"
                class="without"
              />
            </template>
            <g
              :id="`cap-${kind}-${r.cap}`"
              class="reach"
              :class="{ narrowest: r.narrowest, chosen: chosen === r.cap }"
              role="option"
              :aria-selected="chosen === r.cap"
              :aria-label="`${chain.caps[i]?.word}: ${amps(chain.caps[i]?.a)}${r.narrowest ? ', the narrowest' : ''}. ${chain.caps[i]?.why}`"
              @click="emit('choose', r.cap)"
            >
              <rect :x="r.x" :y="-TOP" :width="r.width" :height="TOP + H + 30" class="hit" />
              <rect
                v-if="r.narrowest"
                :x="r.x + 2"
                :y="laid.middle - r.half"
                :width="r.width - 4"
                :height="r.half * 2"
                class="neck"
              />
              <text :x="r.x + r.width / 2" :y="-28" text-anchor="middle" class="name">
                <tspan v-for="(w, k) in words(chain.caps[i]?.word ?? '')" :key="k" :x="r.x + r.width / 2" :dy="k ? 15 : 0">
                  {{ w }}
                </tspan>
              </text>
              <text :x="r.x + r.width / 2" :y="H + 22" text-anchor="middle" class="amps">
                {{ tells(i) ? amps(chain.caps[i]?.a) : '' }}
              </text>
            </g>
          </g>
        </g>
      </svg>
    </div>
  </div>
</template>

<style scoped>
.narrows {
  margin: 12px 0 4px;
}
h2 .soft {
  font-weight: 400;
}
svg {
  display: block;
  max-width: none;
}
.water {
  fill: var(--bank);
  opacity: 0.24;
  stroke: var(--bank);
  stroke-width: 1;
}
.discharge .water {
  fill: var(--load);
  stroke: var(--load);
  opacity: 0.2;
}
.lane {
  fill: var(--bank);
  opacity: 0.42;
}
.discharge .lane {
  fill: var(--load);
  opacity: 0.34;
}
.lane.sun-charger {
  fill: var(--sun);
}
.unit {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 3px;
  font-size: 14px;
  font-weight: 650;
}
.without {
  stroke: var(--ink);
  stroke-width: 1.4;
  stroke-dasharray: 4 4;
}
.needed {
  stroke: var(--load);
  stroke-width: 1.6;
  stroke-dasharray: 1 4;
  stroke-linecap: round;
}
.hit {
  fill: transparent;
  cursor: pointer;
}
.reach:hover .hit,
.chosen .hit {
  fill: var(--copper);
  opacity: 0.1;
}
.neck {
  fill: none;
  stroke: var(--copper);
  stroke-width: 2.6;
  pointer-events: none;
}
.name {
  font-size: 13px;
  pointer-events: none;
}
.amps {
  font-size: 14px;
  font-weight: 650;
  pointer-events: none;
}
.narrowest .name,
.narrowest .amps {
  fill: var(--copper);
  font-weight: 700;
}
.reach {
  outline: none;
}
.reach:focus-visible .hit {
  stroke: var(--focus);
  stroke-width: 2.5;
}
</style>
