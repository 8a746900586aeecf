<script setup lang="ts">
// The group drawn: who stands on which phase and place, who is host, the cable between units, who hears the bank, what stands beside.
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import { drawGroup } from './group'

const job = useJob()
const group = computed(() => job.plan.value?.group)
const drawn = computed(() => (group.value ? drawGroup(group.value) : null))
const start = computed(() => group.value?.start.map((step) => step.join(' and ')).join(', then ') ?? '')
</script>

<template>
  <figure v-if="group && drawn && group.places.length" class="drawing" data-group>
    <div class="scroll" tabindex="0" aria-label="Drawing of the group">
      <svg
        :viewBox="`0 0 ${drawn.width} ${drawn.height}`"
        :style="{ width: `${drawn.width}px` }"
        role="img"
        :aria-label="drawn.said"
      >
        <g v-for="lane in drawn.lanes" :key="lane.word">
          <rect :x="lane.x" :y="lane.y" :width="lane.width" :height="lane.height" class="lane" />
          <text :x="lane.x + 8" :y="lane.y + 16" class="small">{{ lane.word }}</text>
        </g>
        <path v-for="line in drawn.lines" :key="line.key" :d="line.path" :class="['line', line.kind]" />
        <g v-for="box in drawn.boxes" :key="box.id" :class="['box', box.kind, { host: box.host }]">
          <rect :x="box.x" :y="box.y" :width="box.width" :height="box.height" />
          <title>{{ box.id }}, {{ box.place }}, {{ box.word }}</title>
          <text :x="box.x + 9" :y="box.y + 18" class="id">{{ box.shown }}</text>
          <text :x="box.x + box.width - 8" :y="box.y + (box.long ? 35 : 18)" text-anchor="end" class="small">
            {{ box.place }}
          </text>
          <text v-if="box.kind !== 'unit'" :x="box.x + 9" :y="box.y + 35" class="small">{{ box.told }}</text>
        </g>
        <text v-for="note in drawn.notes" :key="note.key" :x="note.x" :y="note.y" class="small">{{ note.text }}</text>
        <g v-for="line in drawn.lines" :key="`${line.key}-word`">
          <text v-if="line.label" :x="line.x" :y="line.y" :text-anchor="line.anchor" class="small halo">{{ line.label }}</text>
        </g>
      </svg>
    </div>
    <figcaption>
      <span class="key bms">what the bank says</span>
      <span v-if="drawn.kinds.has('group')" class="key group">between units</span>
      <span v-if="drawn.kinds.has('charger')" class="key charger">between sun chargers</span>
      <span v-if="drawn.kinds.has('controller')" class="key controller">controller</span>
      <span v-if="!group.speaker" class="soft">Open loop: nobody hears the bank.</span>
      <span class="start"
        ><b>Switch on:</b> {{ start }}<span class="soft"> ({{ group.start_why }})</span></span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
.drawing {
  margin: 4px 0 18px;
}
svg {
  display: block;
  max-width: none;
}
.lane {
  fill: var(--paper);
  stroke: var(--faint);
}
.box rect {
  fill: var(--raised);
  stroke: var(--soft);
}
.box.host rect {
  stroke: var(--copper);
  stroke-width: 2.5;
}
.box.bank rect {
  stroke: var(--bank);
  stroke-width: 2.5;
}
.box.sun-charger rect {
  stroke: var(--sun);
}
text {
  fill: var(--ink);
  font-size: 13.5px;
}
.id {
  font-weight: 650;
}
.small {
  font-size: 12px;
  fill: var(--soft);
}
.halo {
  paint-order: stroke;
  stroke: var(--sheet);
  stroke-width: 4px;
}
.line {
  fill: none;
  stroke-width: 2;
  stroke: var(--bank);
}
.line.group {
  stroke: var(--copper);
  stroke-dasharray: 7 4;
}
.line.charger {
  stroke: var(--sun);
  stroke-dasharray: 7 4;
}
.line.controller {
  stroke: var(--note);
  stroke-dasharray: 2 4;
}
figcaption {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
  font-size: 13px;
  margin-top: 6px;
}
.key::before {
  content: '';
  display: inline-block;
  width: 22px;
  border-top: 2px solid var(--bank);
  margin-right: 6px;
  vertical-align: middle;
}
.key.group::before {
  border-top: 2px dashed var(--copper);
}
.key.charger::before {
  border-top: 2px dashed var(--sun);
}
.key.controller::before {
  border-top: 2px dotted var(--note);
}
.start {
  flex-basis: 100%;
}
</style>
