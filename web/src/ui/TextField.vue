<script setup lang="ts">
// A text in the document; it counts when the field is left or on Enter. Times and days are read in their usual spellings.
import { computed, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import { wordsAt } from '../job/words'
import FieldFrame from './FieldFrame.vue'
import { idOf, refusalOf } from './field'
import { readDate, shownDate } from './prefs'
import PlainInput from './PlainInput.vue'
import { asMeant } from './spelled'
import { NEVER_MS, useResting } from './typed'

const props = defineProps<{
  path: string
  label?: string
  wide?: boolean
  needed?: boolean
  bare?: boolean
  placeholder?: string
  /** A day: typed in any usual form, kept as YYYY-MM-DD. */
  date?: boolean
}>()
const job = useJob()
const words = computed(() => wordsAt(props.path))
const label = computed(() => props.label ?? words.value?.label ?? '')
const placeholder = computed(() => props.placeholder ?? String(words.value?.default ?? ''))
const stored = computed(() => (job.at(props.path) as string | undefined) ?? '')
const shown = computed(() => (props.date ? shownDate(stored.value) : stored.value))
const half = job.typed.at(props.path)
const text = ref(half ?? shown.value)
let typing = half !== undefined
watch([shown, () => props.path], () => {
  if (!typing) text.value = shown.value
})
const id = computed(() => idOf(props.path))
const lacking = ref(false)
const failure = computed(() => refusalOf(job, props.path) || (lacking.value ? 'Needed; the old one is kept.' : ''))
function commit() {
  if (!typing) return
  lacking.value = !!props.needed && text.value.trim() === ''
  if (lacking.value) return
  typing = false
  job.typed.done(props.path)
  const meant = props.date ? (readDate(text.value) ?? text.value) : asMeant(props.path, text.value)
  job.set(props.path, meant === '' ? undefined : meant)
  text.value = props.date ? shownDate(meant) : meant
}
const resting = useResting(commit, job, NEVER_MS)
function typed() {
  typing = true
  job.typed.keep(props.path, text.value)
  resting.touch()
}
</script>

<template>
  <FieldFrame :id="id" :label="label" :bare="bare" :failure="failure" :class="{ wide }">
    <PlainInput
      :id="id"
      v-model="text"
      :data-pointer="path"
      autocomplete="off"
      :placeholder="placeholder"
      :aria-invalid="!!failure"
      :aria-describedby="failure ? id + '-why' : undefined"
      class="text"
      @typed="typed"
      @change="resting.now()"
      @keydown.enter="resting.now()"
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
