<script setup lang="ts">
// The head of a stage or page: its name, its answer in large type, the figures it rests on. The answer is the plan's, or its own.
import { computed } from 'vue'
import { jobOrNone } from '../job/use-job'
import { preferred } from './prefs'

const props = defineProps<{ stage: string; answer?: string; rests?: string }>()
const job = jobOrNone()
const planned = computed(() => job?.plan.value?.stages.find((s) => s.stage === props.stage))
const answer = computed(() => preferred(props.answer ?? planned.value?.answer ?? ''))
const rests = computed(() => preferred(props.rests ?? planned.value?.rests_on ?? ''))
</script>

<template>
  <div class="stage-head">
    <h1>{{ planned?.word ?? stage.charAt(0).toUpperCase() + stage.slice(1) }}</h1>
    <p v-if="answer" class="answer" data-answer>{{ answer }}</p>
    <p v-if="rests || $slots.default" class="rests soft">{{ rests }}<slot /></p>
  </div>
</template>

<style scoped>
.stage-head {
  margin-bottom: 20px;
}
h1 {
  font-size: 15px;
  font-weight: 600;
  color: var(--soft);
}
.answer {
  font-size: 23px;
  line-height: 1.25;
  font-weight: 650;
  text-wrap: balance;
  max-width: 46em;
}
.rests {
  margin-top: 4px;
}
@media (max-width: 640px) {
  .answer {
    font-size: 19px;
  }
}
</style>
