<script setup lang="ts">
// A text that counts when it is finished (Enter, or leaving the field). Until then it stays as typed, whatever is drawn anew around it.
import { onBeforeUnmount, ref, watch } from 'vue'

const props = defineProps<{
  value: string
  area?: boolean
  /** Also counts after a pause of so many milliseconds. */
  pause?: number
}>()
const emit = defineEmits<{ commit: [text: string] }>()
const text = ref(props.value)
let typing = false
let timer = 0
watch(
  () => props.value,
  (now) => {
    if (!typing) text.value = now
  },
)
function typed(event: Event) {
  text.value = (event.target as HTMLInputElement).value
  typing = true
  window.clearTimeout(timer)
  if (props.pause) timer = window.setTimeout(commit, props.pause)
}
function commit() {
  window.clearTimeout(timer)
  if (!typing) return
  typing = false
  emit('commit', text.value)
}
onBeforeUnmount(commit)
</script>

<template>
  <textarea v-if="area" :value="text" @input="typed" @change="commit" />
  <input v-else :value="text" autocomplete="off" @input="typed" @change="commit" @keydown.enter="commit" />
</template>
