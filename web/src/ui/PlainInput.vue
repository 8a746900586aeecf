<script setup lang="ts">
// A text box, and no more than that: pages have hundreds, so each is one native element in the look of all the others.
import 'element-plus/theme-chalk/el-input.css'
import { ref, useAttrs, computed } from 'vue'

defineOptions({ inheritAttrs: false })
defineProps<{ area?: boolean; rows?: number; disabled?: boolean }>()
const text = defineModel<string>({ required: true })
const emit = defineEmits<{ typed: [text: string] }>()
const attrs = useAttrs()
const inner = computed(() => Object.fromEntries(Object.entries(attrs).filter(([k]) => k !== 'class' && k !== 'style')))
const box = ref<HTMLInputElement | HTMLTextAreaElement>()
function entered() {
  const now = box.value?.value ?? ''
  if (now === text.value) return
  text.value = now
  emit('typed', now)
}
</script>

<template>
  <div v-if="area" class="el-textarea" :class="$attrs.class">
    <textarea
      ref="box"
      class="el-textarea__inner"
      :value="text"
      :rows="rows ?? 3"
      :disabled="disabled"
      v-bind="inner"
      @input="entered"
    />
  </div>
  <div v-else class="el-input" :class="[$attrs.class, { 'is-disabled': disabled }]" :style="$attrs.style as string">
    <div class="el-input__wrapper">
      <input ref="box" type="text" class="el-input__inner" :value="text" :disabled="disabled" v-bind="inner" @input="entered" />
      <span v-if="$slots.suffix" class="el-input__suffix"
        ><span class="el-input__suffix-inner"><slot name="suffix" /></span
      ></span>
    </div>
  </div>
</template>
