<script setup lang="ts">
// Two minutes through the workspace: what stands where, and in which order the work goes.
import { ElTour, ElTourStep } from 'element-plus'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-tour.css'

const open = defineModel<boolean>({ required: true })
type Place = 'right' | 'left' | 'bottom'
const STEPS: [string, string, string, Place][] = [
  ['nav.spine', 'The stages, in working order', 'Each has its state and its key figure. Begin at the top; [ and ] go from one to the next.', 'right'],
  ['#stage', 'The stage', 'Type what you know, with any unit: 2 kW, 55,2 V, 4 AWG. What nobody says is assumed, and stands pale and slanted.', 'bottom'],
  ['aside.column', 'Findings', 'What speaks against this plan, this stage first. Each leads to the field that would change it; press a rule to read it.', 'left'],
  ['[data-plan-state]', 'How fresh the plan is', 'Every change makes a new plan. Where the server is away, this says how old the plan is; what you type is kept.', 'bottom'],
  ['button.what', 'What-if', 'Try anything: the plan follows, the job does not. Keep it, or drop it.', 'bottom'],
  ['button.find', 'Find', 'Any quantity, setting or field by its words: press /.', 'bottom'],
  ['nav.spine li:nth-child(9)', 'The sheet', 'What to type into each unit, in which order, what it resets, and why. On paper too.', 'right'],
  ['nav.spine li:nth-child(10)', 'On site', 'Step by step, each with what should be seen and what was; without a network as well.', 'right'],
] // prettier-ignore
</script>

<template>
  <ElTour v-model="open" :mask="{ color: 'rgba(10, 18, 22, 0.45)' }" :z-index="3000">
    <ElTourStep
      v-for="([target, title, text, placement], i) in STEPS"
      :key="target"
      :target="target"
      :title="title"
      :placement="placement"
      :prev-button-props="{ children: 'Back' }"
      :next-button-props="{ children: i === STEPS.length - 1 ? 'Begin' : 'Next' }"
    >
      <p class="words">{{ text }}</p>
    </ElTourStep>
  </ElTour>
</template>

<style scoped>
.words {
  margin: 0;
}
</style>
