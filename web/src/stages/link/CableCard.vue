<script setup lang="ts">
// The cable card: both plugs, pin to pin, colours, what must stay open.
import { computed } from 'vue'
import type { Cable } from '../../api/client'
import { CONDUCTOR, drawCable, solidOf, striped } from './cable'

const props = withDefaults(defineProps<{ cable: Cable; bms: string; unit: string; from?: string; to?: string }>(), {
  from: 'BMS',
  to: 'unit',
})
const LEFT = 170
const RIGHT = 510
const drawn = computed(() => drawCable(props.cable, { left: LEFT, right: RIGHT, top: 30, step: 27 }))
const said = computed(() => props.cable.wires.map((w) => `${w.signal} from pin ${w.from} to pin ${w.to}, ${w.colour}`).join('; '))
</script>

<template>
  <div class="scroll" tabindex="0" role="region" aria-label="Drawing of the cable">
    <svg
      :viewBox="`0 0 680 ${drawn.height}`"
      class="card"
      role="img"
      :aria-label="`Cable from ${bms} of the ${from} to ${unit} of the ${to}: ${said}`"
      data-cable
    >
      <text :x="LEFT" y="16" text-anchor="end" class="head">{{ from }} {{ bms }}</text>
      <text :x="RIGHT" y="16" class="head">{{ to }} {{ unit }}</text>
      <g v-for="w in drawn.wires" :key="w.key">
        <path :d="w.path" class="sleeve" />
        <path :d="w.path" class="core" :stroke="CONDUCTOR[solidOf(w.colour)]" />
        <path v-if="striped(w.colour)" :d="w.path" class="stripe" />
        <text :x="LEFT + 20" :y="w.y - 8" class="colour">{{ w.colour }}</text>
      </g>
      <g v-for="p in drawn.pins" :key="p.end + p.pin">
        <rect :x="(p.end === 'bms' ? LEFT : RIGHT) - 12" :y="p.y - 10" width="24" height="20" class="pin" />
        <text :x="p.end === 'bms' ? LEFT : RIGHT" :y="p.y + 5" text-anchor="middle" class="no">{{ p.pin }}</text>
        <path v-if="p.barred" :d="`M${(p.end === 'bms' ? LEFT : RIGHT) - 9} ${p.y - 8}l18 16m0 -16l-18 16`" class="bar" />
        <text
          :x="p.end === 'bms' ? LEFT - 20 : RIGHT + 20"
          :y="p.y + 5"
          :text-anchor="p.end === 'bms' ? 'end' : 'start'"
          :class="{ barred: p.barred }"
        >
          {{ p.word }}
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.card {
  width: 100%;
  min-width: 520px;
  max-width: 700px;
  display: block;
}
text {
  font-size: 13.5px;
}
.head {
  font-weight: 650;
}
.colour {
  font-size: 12px;
  fill: var(--soft);
}
.pin {
  fill: var(--raised);
  stroke: var(--soft);
}
.no {
  font-weight: 650;
}
.sleeve {
  fill: none;
  stroke: var(--rule);
  stroke-width: 7;
}
.core {
  fill: none;
  stroke-width: 5;
}
.stripe {
  fill: none;
  stroke: #fff;
  stroke-width: 2.4;
  stroke-dasharray: 7 6;
}
.bar {
  stroke: var(--stop);
  stroke-width: 2;
}
.barred {
  fill: var(--stop);
  font-weight: 600;
}
</style>
