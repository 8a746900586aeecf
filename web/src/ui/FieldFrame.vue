<script setup lang="ts">
// A label above a control, and beneath it what is wrong with what was typed.
import { ElFormItem } from 'element-plus'
import 'element-plus/theme-chalk/el-form-item.css'

defineProps<{ id: string; label: string; bare?: boolean; failure?: string; urgent?: boolean }>()
</script>

<template>
  <ElFormItem class="field" :class="{ bad: failure, bare }" :for="id" label-position="top" :error="failure">
    <template #label
      ><span :class="{ 'visually-hidden': bare }">{{ label }}</span></template
    >
    <slot />
    <template #error="{ error }">
      <span :id="id + '-why'" class="why" role="alert">{{ error }}</span>
    </template>
  </ElFormItem>
</template>
