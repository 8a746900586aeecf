<script setup lang="ts" generic="T extends string">
// Several views in one place; only the one shown exists, and one that is to be kept once it was seen.
import { ElTabPane, ElTabs } from 'element-plus'
import 'element-plus/theme-chalk/el-tab-pane.css'
import 'element-plus/theme-chalk/el-tabs.css'
import { ref, watch } from 'vue'

const props = defineProps<{ tabs: readonly (readonly [T, string])[]; label: string; keep?: T }>()
const shown = defineModel<T>({ required: true })
const seen = ref(false)
watch(shown, (now) => now === props.keep && (seen.value = true), { immediate: true })
</script>

<template>
  <ElTabs v-model="shown" class="tabs" :aria-label="label">
    <ElTabPane v-for="[name, word] in tabs" :key="name" :name="name" :label="word">
      <template #label
        ><slot :name="`label-${name}`">{{ word }}</slot></template
      >
      <slot v-if="shown === name || (name === keep && seen)" :name="name" />
    </ElTabPane>
  </ElTabs>
</template>
