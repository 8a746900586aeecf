<script setup lang="ts">
// A button that takes files; the browser's own dialog chooses them.
import { ElUpload, type UploadRawFile } from 'element-plus'
import 'element-plus/theme-chalk/el-upload.css'

defineProps<{ label: string; word: string; accept: string; multiple?: boolean }>()
const emit = defineEmits<{ files: [files: File[]] }>()
let waiting: File[] = []
// A choice of several files arrives one by one; they are handed on together, and nothing is sent by the control itself.
function take(file: UploadRawFile) {
  waiting.push(file)
  if (waiting.length === 1)
    queueMicrotask(() => {
      const all = waiting
      waiting = []
      emit('files', all)
    })
  return false
}
</script>

<template>
  <ElUpload
    class="file"
    :show-file-list="false"
    :auto-upload="true"
    :accept="accept"
    :multiple="multiple"
    :before-upload="take"
    :aria-label="label"
  >
    <span class="button">{{ word }}</span>
  </ElUpload>
</template>
