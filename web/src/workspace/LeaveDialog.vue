<script setup lang="ts">
// A what-if ends in one of two ways, or goes on.
import { ElDialog } from 'element-plus'

const open = defineModel<boolean>({ required: true })
const emit = defineEmits<{ end: [keep: boolean] }>()
function end(keep: boolean) {
  emit('end', keep)
  open.value = false
}
</script>

<template>
  <ElDialog v-model="open" title="Leave the what-if" width="min(460px, 94vw)">
    <p>Keep what you tried as an edit of the job, or go back to where you began?</p>
    <p class="buttons">
      <button class="first" @click="end(true)">Keep the changes</button>
      <button @click="end(false)">Discard them</button>
      <button class="plain" @click="open = false">Stay</button>
    </p>
  </ElDialog>
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  margin-top: 16px;
}
</style>
