<script setup lang="ts">
// The site as a one-line picture, with what is live now: a line is live while all breakers of any of its ways are closed.
import { computed } from 'vue'
import type { Breaker, OneLine } from '../../api/client'

const props = defineProps<{ picture: OneLine; breakers: Breaker[]; open: Set<string>; now?: string }>()
const emit = defineEmits<{ breaker: [id: string] }>()
const name = computed(() => new Map(props.breakers.map((b) => [b.id, b.name])))
const live = (ways: string[][]) => ways.some((way) => way.every((id) => !props.open.has(id)))
const busLive = computed(() => props.picture.segments.some((s) => s.wide && live(s.ways)))
const words = computed(() => {
  const closed = props.breakers.filter((b) => !props.open.has(b.id)).map((b) => b.name)
  return `Busbar ${busLive.value ? 'live' : 'dead'}. Closed: ${closed.join(', ') || 'none'}.`
})
</script>

<template>
  <figure class="one">
    <svg :viewBox="`0 0 ${picture.width} ${picture.height}`" role="img" :aria-label="words">
      <path
        v-for="(s, i) in picture.segments"
        :key="i"
        :d="s.path"
        :class="[live(s.ways) ? `live ${s.side}` : 'dead', { wide: s.wide }]"
      />
      <g v-for="b in picture.blocks" :key="`b${b.x}${b.y}`">
        <rect :x="b.x" :y="b.y" :width="b.w" :height="b.h" class="block" :class="b.side" />
        <text :x="b.x + b.w / 2" :y="b.y + b.h / 2 + 4" text-anchor="middle" class="name">{{ b.text }}</text>
      </g>
      <g
        v-for="c in picture.contacts"
        :key="c.breaker"
        class="contact"
        :class="{ here: c.breaker === now }"
        @click="emit('breaker', c.breaker)"
      >
        <title>{{ name.get(c.breaker) }}: {{ open.has(c.breaker) ? 'open' : 'closed' }}</title>
        <rect :x="c.x - 16" :y="c.y - 17" width="32" height="34" class="hit" />
        <path :d="open.has(c.breaker) ? `M${c.x} ${c.y + 15}l13 -28` : `M${c.x} ${c.y + 15}V${c.y - 15}`" class="blade" />
        <text :x="c.x - 6" :y="c.y + 4" text-anchor="end" class="no">{{ c.no }}</text>
      </g>
      <text
        v-for="(l, i) in picture.labels"
        :key="`l${i}`"
        :x="l.x"
        :y="l.y"
        :text-anchor="l.anchor ?? 'middle'"
        :class="['word', { small: l.small }]"
      >
        {{ l.text === 'busbar' ? `busbar, ${busLive ? 'live' : 'dead'}` : l.text }}
      </text>
    </svg>
    <figcaption class="soft small">
      Numbers: order of isolating; back in reverse. Grey is dead by its breakers; prove it.
    </figcaption>
  </figure>
</template>

<style scoped>
.one {
  margin: 0;
}
svg {
  width: 100%;
  max-height: 340px;
  display: block;
}
path {
  fill: none;
  stroke-width: 3;
}
.wide {
  stroke-width: 7;
}
.dead {
  stroke: var(--rule);
}
.live {
  stroke: var(--copper);
}
.live.sun {
  stroke: var(--sun);
}
.live.grid,
.live.ac {
  stroke: var(--mains);
}
.live.generator {
  stroke: var(--gen);
}
.live.load {
  stroke: var(--load);
}
.block {
  fill: var(--raised);
  stroke: var(--copper);
  stroke-width: 2;
}
.block.sun {
  stroke: var(--sun);
}
.name {
  font-size: 12px;
  fill: var(--ink);
}
.blade {
  stroke: var(--ink);
  stroke-width: 4;
}
.hit {
  fill: transparent;
}
.here .hit {
  fill: var(--copper-wash);
}
.no,
.word {
  font-size: 12px;
  fill: var(--soft);
}
.small {
  font-size: 11px;
}
</style>
