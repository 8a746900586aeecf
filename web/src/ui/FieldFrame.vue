<script setup lang="ts">
// A label above a control, and beneath it what is wrong with what was typed.
import 'element-plus/theme-chalk/el-form-item.css'

defineProps<{ id: string; label: string; bare?: boolean; failure?: string; urgent?: boolean }>()
</script>

<template>
  <div class="el-form-item el-form-item--label-top field" :class="{ bad: failure, bare, 'is-error': failure }">
    <label class="el-form-item__label" :for="id"
      ><span :class="{ 'visually-hidden': bare }">{{ label }}</span></label
    >
    <div class="el-form-item__content">
      <slot />
      <span v-if="failure" :id="id + '-why'" class="why" role="alert">{{ failure }}</span>
    </div>
  </div>
</template>
