<script setup lang="ts">
// One of a few: a bar to choose from. Many: a list. Choices, default and label come with the field's words.
import { ElSegmented } from 'element-plus'
import 'element-plus/theme-chalk/el-segmented.css'
import { computed } from 'vue'
import { useJob } from '../job/use-job'
import { fitting, wordsAt } from '../job/words'
import FieldFrame from './FieldFrame.vue'
import { idOf } from './field'
import PickField from './PickField.vue'

type Value = string | number
const props = defineProps<{
  path: string
  label?: string
  choices?: (readonly [Value, string])[]
  fallback?: Value
  select?: boolean
  bare?: boolean
  /** Stored as true, or not at all. */
  flag?: boolean
  /** Stored as true or false. */
  boolean?: boolean
}>()
const job = useJob()
const words = computed(() => wordsAt(props.path))
const label = computed(() => props.label ?? words.value?.label ?? '')
const sources = computed(() => job.at('/site/sources') as string[] | undefined)
const choices = computed(
  () => props.choices ?? words.value?.choices.map((c) => [c.value, fitting(c.word, sources.value)] as const) ?? [],
)
const value = computed<Value | undefined>(() => {
  const held = job.at(props.path) as Value | boolean | undefined
  return typeof held === 'boolean' ? Number(held) : (held ?? props.fallback ?? words.value?.default)
})
const id = computed(() => idOf(props.path))
const choose = (v: unknown) =>
  job.set(props.path, props.flag ? v === 1 || undefined : props.boolean ? v === 1 : v === '' ? undefined : v)
const options = computed(() => choices.value.map(([v, word]) => ({ value: v, label: word })))
</script>

<template>
  <FieldFrame v-if="select" :id="id" :label="label" :bare="bare">
    <PickField :id="id" :model-value="value" :label="label" :choices="choices" :data-pointer="path" @pick="choose" />
  </FieldFrame>
  <div v-else class="choice control" :data-pointer="path">
    <span class="label" aria-hidden="true">{{ label }}</span>
    <ElSegmented :id="id" :model-value="value" :options="options" :aria-label="label" :validate-event="false" @change="choose" />
  </div>
</template>

<style scoped>
.choice {
  display: grid;
  gap: 2px;
  justify-items: start;
  outline: none;
}
.label {
  font-size: 13px;
  color: var(--soft);
}
</style>
