<script setup lang="ts">
// One of a list; long lists can be narrowed by typing.
import { ElOption, ElSelect } from 'element-plus'
import 'element-plus/theme-chalk/el-option.css'
import 'element-plus/theme-chalk/el-popper.css'
import 'element-plus/theme-chalk/el-scrollbar.css'
import 'element-plus/theme-chalk/el-select.css'
import 'element-plus/theme-chalk/el-tag.css'
import { computed } from 'vue'

type Value = string | number
const props = defineProps<{
  choices: (readonly [Value, string])[]
  label: string
  id?: string
  placeholder?: string
  disabled?: boolean
}>()
const value = defineModel<Value | undefined>()
const emit = defineEmits<{ pick: [value: Value] }>()
const MANY = 7
// The choice that stands for nothing stored is what an empty field says.
const none = computed(() => props.choices.find(([v]) => v === '')?.[1] ?? '')
const many = computed(() => props.choices.length > MANY)
</script>

<template>
  <ElSelect
    :id="id"
    v-model="value"
    class="pick"
    :aria-label="label"
    :placeholder="placeholder ?? none"
    :filterable="many"
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

<style scoped>
.pick {
  width: 180px;
}
</style>
