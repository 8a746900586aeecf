<script setup lang="ts">
// A text that counts when it is finished (Enter, or leaving the field). Until then it stays as typed, whatever is drawn anew around it.
import { ref, watch } from 'vue'
import { jobOrNone } from '../job/use-job'
import PlainInput from './PlainInput.vue'
import { LONGEST_MS, NEVER_MS, useResting } from './typed'

const props = defineProps<{
  value: string
  area?: boolean
  rows?: number
  /** Also counts after a pause of so many milliseconds, and at least every two seconds of typing. */
  pause?: number
  /** Where the text is kept over a reload while it does not count yet. */
  keep?: string
}>()
const emit = defineEmits<{ commit: [text: string] }>()
const job = jobOrNone()
const half = props.keep ? job?.typed.at(props.keep) : undefined
const text = ref(half ?? props.value)
let typing = half !== undefined
watch(
  () => props.value,
  (now) => {
    if (!typing) text.value = now
  },
)
function commit() {
  if (!typing) return
  typing = false
  if (props.keep) job?.typed.done(props.keep)
  emit('commit', text.value)
}
const resting = useResting(commit, job, props.pause ?? NEVER_MS, props.pause ? LONGEST_MS : 0)
function typed(now: string) {
  text.value = now
  typing = true
  if (props.keep) job?.typed.keep(props.keep, now)
  resting.touch()
}
function entered() {
  if (!props.area) resting.now()
}
</script>

<template>
  <PlainInput
    :model-value="text"
    :area="area"
    :rows="rows"
    autocomplete="off"
    @typed="typed"
    @change="resting.now()"
    @keydown.enter="entered"
  />
</template>
