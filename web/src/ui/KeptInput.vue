<script setup lang="ts">
// A text that counts when it is finished (Enter, or leaving the field). Until then it stays as typed, whatever is drawn anew around it.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { onBeforeUnmount, ref, watch } from 'vue'

const props = defineProps<{
  value: string
  area?: boolean
  rows?: number
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
function typed(now: string) {
  text.value = now
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
function entered() {
  if (!props.area) commit()
}
onBeforeUnmount(commit)
</script>

<template>
  <ElInput
    :model-value="text"
    :type="area ? 'textarea' : 'text'"
    :rows="rows ?? 3"
    autocomplete="off"
    :validate-event="false"
    @input="typed"
    @change="commit"
    @keydown.enter="entered"
  />
</template>
