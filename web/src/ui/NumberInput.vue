<script setup lang="ts">
// A figure outside the job's fields. What is typed stays as typed, a decimal point at its end included.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { ref, watch } from 'vue'
import { readNumber } from './figures'

const props = defineProps<{ value: unknown; id?: string; placeholder?: string; disabled?: boolean }>()
const emit = defineEmits<{ set: [value: number | string | undefined] }>()
const shown = (v: unknown) => (v === undefined || v === null ? '' : String(v))
const text = ref(shown(props.value))
/** What a text stands for: a number, nothing, or itself where it is neither, so that the server says what is wrong. */
function meaning(typed: string): number | string | undefined {
  const number = readNumber(typed)
  return number === null ? undefined : (number ?? typed)
}
watch(
  () => props.value,
  (now) => {
    if (meaning(text.value) !== (now ?? undefined)) text.value = shown(now)
  },
)
</script>

<template>
  <ElInput
    :id="id"
    v-model="text"
    inputmode="decimal"
    autocomplete="off"
    :placeholder="placeholder"
    :disabled="disabled"
    :validate-event="false"
    @input="(typed) => emit('set', meaning(typed))"
  />
</template>

<style scoped>
:deep(input) {
  text-align: right;
}
</style>
