<script setup lang="ts">
// The list behind a PickField, made when somebody comes near it. Long lists can be narrowed by typing.
import { ElOption, ElSelect, type SelectInstance } from 'element-plus'
import 'element-plus/theme-chalk/el-option.css'
import 'element-plus/theme-chalk/el-scrollbar.css'
import 'element-plus/theme-chalk/el-tag.css'
import { onMounted, ref } from 'vue'

type Value = string | number
const props = defineProps<{
  choices: (readonly [Value, string])[]
  label: string
  many: boolean
  placeholder: string
  id?: string
  disabled?: boolean
  /** What made it: it takes the focus, or opens at once. */
  take?: 'focus' | 'open'
}>()
const value = defineModel<Value | undefined>()
const emit = defineEmits<{ pick: [value: Value] }>()
const list = ref<SelectInstance>()
onMounted(() => {
  if (!props.take) return
  list.value?.focus()
  // The press that made it goes on to open it, once that press has run its course.
  if (props.take === 'open') window.setTimeout(() => list.value?.$el.querySelector('.el-select__wrapper')?.click())
})
</script>

<template>
  <ElSelect
    :id="id"
    ref="list"
    v-model="value"
    :aria-label="label"
    :placeholder="placeholder"
    :filterable="many"
    :default-first-option="many"
    :disabled="disabled"
    :validate-event="false"
    :fit-input-width="!many"
    :persistent="!many"
    :data-choices="choices.length"
    @change="(v: Value) => emit('pick', v)"
  >
    <ElOption v-for="[v, word] in choices" :key="v" :value="v" :label="word" />
  </ElSelect>
</template>
