<script setup lang="ts">
// A figure outside the job's fields. What is typed stays as typed; what could be two figures is asked, and nothing is given meanwhile.
import { computed, ref, watch } from 'vue'
import PlainInput from './PlainInput.vue'
import { readFigure, shownFigure, shownUnit, spoken } from './prefs'
import WhichOne from './WhichOne.vue'

const props = defineProps<{
  value: unknown
  id?: string
  unit?: string
  whole?: boolean
  placeholder?: string
  disabled?: boolean
}>()
const emit = defineEmits<{ set: [value: number | string | undefined] }>()
const shown = (v: unknown) =>
  v === undefined || v === null ? '' : typeof v === 'number' ? shownFigure(v, props.unit ?? '') : String(v)
const text = ref(shown(props.value))
const reading = computed(() => readFigure(text.value, props.unit ?? '', { whole: props.whole }))
/** A number, nothing, or the text itself where it is neither, so that the server says what is wrong. */
const meaning = () => (reading.value.refused ? text.value : reading.value.value)
watch(
  () => props.value,
  (now) => {
    if (!reading.value.ask && meaning() !== (now ?? undefined)) text.value = shown(now)
  },
)
function typed() {
  if (!reading.value.ask) emit('set', meaning())
}
function choose(value: number) {
  text.value = shownFigure(value, props.unit ?? '')
  emit('set', value)
}
</script>

<template>
  <span class="figure">
    <PlainInput
      :id="id"
      v-model="text"
      inputmode="decimal"
      autocomplete="off"
      :placeholder="placeholder"
      :disabled="disabled"
      v-bind="$attrs"
      @typed="typed"
    >
      <template v-if="unit" #suffix>{{ shownUnit(unit) }}</template>
    </PlainInput>
    <WhichOne v-if="reading.ask" :values="reading.ask" :say="(v) => spoken(v, unit ?? '')" @choose="choose" />
  </span>
</template>

<script lang="ts">
export default { inheritAttrs: false }
</script>

<style scoped>
.figure {
  display: inline-grid;
}
:deep(input) {
  text-align: right;
}
</style>
