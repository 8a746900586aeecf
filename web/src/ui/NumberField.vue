<script setup lang="ts">
// A number in the document. What is typed stays, even when it cannot be read or is refused; the reason stands beside it.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import { wordsAt } from '../job/words'
import FieldFrame from './FieldFrame.vue'
import { readNumber, tidy } from './figures'
import { idOf, refusalOf } from './field'

const props = defineProps<{
  path: string
  label?: string
  unit?: string
  scale?: number
  placeholder?: string
  bare?: boolean
  whole?: boolean
}>()
const job = useJob()
const words = computed(() => wordsAt(props.path))
const label = computed(() => props.label ?? words.value?.label ?? '')
const unit = computed(() => props.unit ?? words.value?.unit ?? '')
const scale = computed(() => props.scale ?? words.value?.scale ?? 1)
const placeholder = computed(() => props.placeholder ?? String(words.value?.default ?? ''))
const stored = computed(() => job.at(props.path) as number | undefined)
const shown = (v: number | undefined) => (v === undefined || v === null ? '' : tidy(v * scale.value, 6))
const text = ref(shown(stored.value))
const unreadable = ref(false)
const id = computed(() => idOf(props.path))
watch([stored, () => props.path, scale], () => {
  const now = readNumber(text.value)
  if (now === undefined && unreadable.value && document.activeElement?.id === id.value) return
  if ((now ?? undefined) !== (stored.value === undefined ? undefined : Number(tidy(stored.value * scale.value, 6)))) {
    text.value = shown(stored.value)
    unreadable.value = false
  }
})
function typed() {
  const number = readNumber(text.value)
  unreadable.value = number === undefined || (!!props.whole && number !== null && !Number.isInteger(number))
  if (!unreadable.value)
    job.set(props.path, number === null || number === undefined ? undefined : Number((number / scale.value).toPrecision(12)))
}
const failure = computed(() => {
  if (unreadable.value)
    return props.whole
      ? 'Write a whole number; what is stored is unchanged.'
      : 'This is not a number; what is stored is unchanged.'
  return refusalOf(job, props.path)
})
</script>

<template>
  <FieldFrame :id="id" :label="label" :bare="bare" :failure="failure">
    <ElInput
      :id="id"
      v-model="text"
      class="number"
      :class="{ bare }"
      inputmode="decimal"
      autocomplete="off"
      :data-pointer="path"
      :placeholder="placeholder"
      :aria-invalid="!!failure"
      :aria-describedby="failure ? id + '-why' : undefined"
      :validate-event="false"
      @input="typed"
    >
      <template v-if="unit" #suffix>{{ unit }}</template>
    </ElInput>
  </FieldFrame>
</template>

<style scoped>
.number {
  width: 148px;
}
.number.bare {
  width: 116px;
}
.number :deep(input) {
  text-align: right;
  font-size: 16px;
}
.number.bare :deep(input) {
  font-size: 15px;
}
</style>
