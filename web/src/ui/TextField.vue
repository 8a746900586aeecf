<script setup lang="ts">
// A text in the document; it counts when the field is left or on Enter. Times and days are read in their usual spellings.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import { wordsAt } from '../job/words'
import FieldFrame from './FieldFrame.vue'
import { idOf, refusalOf } from './field'
import { asMeant } from './spelled'

const props = defineProps<{
  path: string
  label?: string
  wide?: boolean
  needed?: boolean
  bare?: boolean
  placeholder?: string
}>()
const job = useJob()
const words = computed(() => wordsAt(props.path))
const label = computed(() => props.label ?? words.value?.label ?? '')
const placeholder = computed(() => props.placeholder ?? String(words.value?.default ?? ''))
const stored = computed(() => (job.at(props.path) as string | undefined) ?? '')
const text = ref(stored.value)
watch(stored, (v) => (text.value = v))
const id = computed(() => idOf(props.path))
const failure = computed(
  () => refusalOf(job, props.path) || (props.needed && text.value === '' ? 'Needed; the old one is kept.' : ''),
)
function typed() {
  if (text.value === '' && props.needed) return
  text.value = asMeant(props.path, text.value)
  job.set(props.path, text.value === '' ? undefined : text.value)
}
</script>

<template>
  <FieldFrame :id="id" :label="label" :bare="bare" :failure="failure" :class="{ wide }">
    <ElInput
      :id="id"
      v-model="text"
      :data-pointer="path"
      autocomplete="off"
      :placeholder="placeholder"
      :aria-invalid="!!failure"
      :aria-describedby="failure ? id + '-why' : undefined"
      :validate-event="false"
      class="text"
      @change="typed"
      @keydown.enter="typed"
    />
  </FieldFrame>
</template>

<style scoped>
.wide {
  flex: 1 1 260px;
}
.text {
  width: 200px;
}
.wide .text {
  width: 100%;
}
</style>
