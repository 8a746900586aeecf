<script setup lang="ts">
// A number in the document. What is typed stays as typed; it counts when the field is left or rests, in its own unit or another of
// its kind. What could be two figures is asked, and nothing is stored meanwhile; what cannot be read stays, with the reason beside it.
import { computed, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import { wordsAt } from '../job/words'
import FieldFrame from './FieldFrame.vue'
import { tidy } from './figures'
import { idOf, refusalOf } from './field'
import { prefs, readFigure, shownFigure, shownUnit, spoken } from './prefs'
import { useResting } from './typed'
import PlainInput from './PlainInput.vue'
import WhichOne from './WhichOne.vue'

const props = defineProps<{
  path: string
  label?: string
  unit?: string
  scale?: number
  placeholder?: string
  bare?: boolean
  whole?: boolean
}>()
const job = useJob()
const words = computed(() => wordsAt(props.path))
const label = computed(() => props.label ?? words.value?.label ?? '')
const unit = computed(() => props.unit ?? words.value?.unit ?? '')
const scale = computed(() => props.scale ?? words.value?.scale ?? 1)
const placeholder = computed(() => props.placeholder ?? String(words.value?.default ?? ''))
const stored = computed(() => job.at(props.path) as number | undefined)
const shown = (v: number | undefined) =>
  v === undefined || v === null ? '' : shownFigure(Number(tidy(v * scale.value, 6)), unit.value)
const half = job.typed.at(props.path)
const text = ref(half ?? shown(stored.value))
/** Typed, and not counted yet. */
const pending = ref(half !== undefined)
const id = computed(() => idOf(props.path))
const reading = computed(() => {
  const bound = (v: number | null | undefined) => (v == null ? null : v * scale.value)
  return readFigure(text.value, unit.value, {
    whole: props.whole || !!words.value?.whole,
    low: bound(words.value?.low),
    high: bound(words.value?.high),
  })
})
let atFirst: number | undefined
function commit() {
  if (!pending.value || reading.value.refused) return
  if (reading.value.ask) return job.set(props.path, atFirst)
  pending.value = false
  job.typed.done(props.path)
  const value = reading.value.value
  job.set(props.path, value === undefined ? undefined : Number((value / scale.value).toPrecision(12)))
}
const resting = useResting(commit, job)
if (half !== undefined) resting.now()
watch([stored, () => props.path, scale, prefs], ([, path], [, before]) => {
  if (pending.value && path === before) return
  pending.value = false
  // What was typed stays as typed while it says what is stored.
  const said = document.activeElement?.id === id.value ? reading.value.value : undefined
  if (said === undefined || stored.value === undefined || said !== Number(tidy(stored.value * scale.value, 6)))
    text.value = shown(stored.value)
})
function typed() {
  if (!pending.value) atFirst = stored.value
  pending.value = true
  job.typed.keep(props.path, text.value)
  resting.touch()
}
function left() {
  resting.now(true)
  if (!pending.value) text.value = shown(stored.value)
}
function choose(value: number) {
  text.value = shownFigure(value, unit.value)
  pending.value = false
  job.typed.done(props.path)
  job.set(props.path, Number((value / scale.value).toPrecision(12)))
}
const echo = computed(() =>
  pending.value && reading.value.value !== undefined && !/^-?\d{0,4}[.,]?\d*$/.test(text.value.trim())
    ? `= ${spoken(reading.value.value, unit.value)}`
    : '',
)
const failure = computed(() => {
  if (pending.value) return resting.settled.value && reading.value.refused ? `Not counted: ${reading.value.refused}.` : ''
  return refusalOf(job, props.path)
})
const suffix = computed(() => (/[a-z²°]/i.test(text.value) ? '' : shownUnit(unit.value)))
</script>

<template>
  <FieldFrame :id="id" :label="label" :bare="bare" :failure="failure">
    <PlainInput
      :id="id"
      v-model="text"
      class="number"
      :class="{ bare }"
      inputmode="decimal"
      autocomplete="off"
      :data-pointer="path"
      :placeholder="placeholder"
      :aria-invalid="!!failure"
      :aria-describedby="failure ? id + '-why' : undefined"
      @typed="typed"
      @change="left"
      @blur="left"
    >
      <template v-if="suffix" #suffix>{{ suffix }}</template>
    </PlainInput>
    <span v-if="echo" class="echo" role="status">{{ echo }}</span>
    <WhichOne
      v-if="pending && reading.ask && resting.settled.value"
      :values="reading.ask"
      :say="(v) => spoken(v, unit)"
      @choose="choose"
    />
  </FieldFrame>
</template>

<style scoped>
.number {
  width: 148px;
}
.number.bare {
  width: 116px;
}
.number :deep(input) {
  text-align: right;
  font-size: 16px;
}
.number.bare :deep(input) {
  font-size: 15px;
}
.echo {
  position: absolute;
  top: 100%;
  right: 2px;
  z-index: 2;
  padding: 0 4px;
  background: var(--sheet);
  white-space: nowrap;
  font-size: 13px;
  line-height: 1.3;
  color: var(--soft);
}
</style>
