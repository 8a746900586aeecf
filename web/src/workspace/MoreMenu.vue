<script setup lang="ts">
// What the bar has no room for on a tablet and a telephone.
import { ElDropdown, ElDropdownItem, ElDropdownMenu } from 'element-plus'
import 'element-plus/theme-chalk/el-dropdown.css'
import 'element-plus/theme-chalk/el-dropdown-item.css'
import 'element-plus/theme-chalk/el-dropdown-menu.css'
import 'element-plus/theme-chalk/el-popper.css'

defineProps<{ acts: { word: string; act: () => void; off?: boolean }[]; word?: string }>()
</script>

<template>
  <ElDropdown class="more" trigger="click" @command="(act: () => void) => act()">
    <button class="plain">{{ word ?? 'More' }}</button>
    <template #dropdown>
      <ElDropdownMenu>
        <ElDropdownItem v-for="a in acts" :key="a.word" :disabled="a.off" :command="a.act">{{ a.word }}</ElDropdownItem>
      </ElDropdownMenu>
    </template>
  </ElDropdown>
</template>

<style scoped>
/* The list's own class keeps it from the look of other buttons. */
.more button {
  font: inherit;
  font-size: 15px;
  color: var(--ink);
  background: none;
  border: 0;
  min-height: 40px;
  padding: 0 10px;
  cursor: pointer;
}
</style>
