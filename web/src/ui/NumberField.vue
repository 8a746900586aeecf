<script setup lang="ts">
// A number in the document. What is typed stays, even when it cannot be read or is refused; the reason stands beside it.
import { computed, ref, watch } from 'vue'
import { useJob } from '../workspace/use-job'
import { readNumber, tidy } from './figures'

const props = defineProps<{
  path: string
  label: string
  unit?: string
  scale?: number
  placeholder?: string
  bare?: boolean
  whole?: boolean
}>()
const job = useJob()
const scale = computed(() => props.scale ?? 1)
const stored = computed(() => job.at(props.path) as number | undefined)
const shown = (v: number | undefined) => (v === undefined || v === null ? '' : tidy(v * scale.value, 6))
const text = ref(shown(stored.value))
const unreadable = ref(false)
const id = computed(() => 'f' + props.path.replace(/[^A-Za-z0-9]+/g, '-'))
watch([stored, () => props.path], () => {
  const now = readNumber(text.value)
  if (now === undefined && unreadable.value && document.activeElement?.id === id.value) return
  if ((now ?? undefined) !== (stored.value === undefined ? undefined : Number(tidy(stored.value * scale.value, 6)))) {
    text.value = shown(stored.value)
    unreadable.value = false
  }
})
function typed() {
  const number = readNumber(text.value)
  unreadable.value = number === undefined || (!!props.whole && number !== null && !Number.isInteger(number))
  if (!unreadable.value)
    job.set(props.path, number === null || number === undefined ? undefined : Number((number / scale.value).toPrecision(12)))
}
const refused = computed(() => job.problemAt.value.get(props.path))
const failure = computed(() => {
  if (unreadable.value)
    return props.whole
      ? 'Write a whole number; what is stored is unchanged.'
      : 'This is not a number; what is stored is unchanged.'
  return refused.value ? `${refused.value.message}. Right would be ${refused.value.expected}.` : ''
})
</script>

<template>
  <div class="field" :class="{ bad: failure, bare }">
    <label :for="id" :class="{ 'visually-hidden': bare }">{{ label }}</label>
    <span class="box">
      <input
        :id="id"
        v-model="text"
        inputmode="decimal"
        autocomplete="off"
        :data-pointer="path"
        :placeholder="placeholder"
        :aria-invalid="!!failure"
        :aria-describedby="failure ? id + '-why' : undefined"
        @input="typed"
      />
      <span v-if="unit" class="unit">{{ unit }}</span>
    </span>
    <span v-if="failure" :id="id + '-why'" class="why" role="alert">{{ failure }}</span>
  </div>
</template>

<style scoped>
.field {
  display: grid;
  gap: 2px;
  max-width: 200px;
}
label {
  font-size: 13px;
  color: var(--soft);
}
.box {
  display: flex;
  align-items: stretch;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--raised);
}
.box:focus-within {
  outline: 2.5px solid var(--focus);
  outline-offset: 1px;
}
input {
  border: 0;
  background: none;
  width: 92px;
  text-align: right;
  font-size: 16px;
  outline: none;
  min-width: 0;
}
.bare input {
  width: 72px;
  font-size: 15px;
}
.unit {
  align-self: center;
  color: var(--soft);
  padding: 0 9px 0 2px;
  white-space: nowrap;
}
.bad .box {
  border-color: var(--stop);
}
.why {
  color: var(--stop);
  font-size: 13px;
}
</style>
