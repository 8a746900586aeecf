<script setup lang="ts">
// One thing to note: a figure in large digits, a text as displayed, a choice or a tick. It counts on Enter or on leaving.
import { ref, watch } from 'vue'
import type { Ask } from '../../api/client'
import KeptInput from '../../ui/KeptInput.vue'
import { tidy } from '../../ui/figures'
import { readNumber } from '../../ui/numbers'
import { marked, prefs } from '../../ui/prefs'
import WhichOne from '../../ui/WhichOne.vue'
import type { ReadingState } from '../../record/types'

const props = defineProps<{ ask: Ask; told?: ReadingState; big?: boolean; bare?: boolean; label?: string }>()
const emit = defineEmits<{ note: [text: string, value: number | null] }>()
const wrong = ref('')
const which = ref<number[]>([])
watch(
  () => props.ask.name,
  () => (wrong.value = ''),
)
function commit(text: string) {
  wrong.value = ''
  which.value = []
  if (props.ask.kind !== 'figure') return emit('note', text, null)
  const said = readNumber(text, props.ask.unit ?? '', { mark: prefs.value.mark })
  if (said.refused) wrong.value = `“${text.trim()}”: ${said.refused}`
  else if (said.ask) which.value = said.ask
  else if (!impossible(said.value)) emit('note', text, said.value ?? null)
}
/** A reading that cannot be at all is not noted: the meter, its range or the typing is wrong. */
function impossible(value: number | undefined): boolean {
  const { least, most, unit } = props.ask
  if (value === undefined || ((least ?? -Infinity) <= value && value <= (most ?? Infinity))) return false
  wrong.value = `${tidy(value, 3)} ${unit ?? ''} cannot be: it lies between ${tidy(least ?? 0, 1)} and ${tidy(most ?? 0, 1)} ${unit ?? ''}. Look at the meter's range.`
  return true
}
function choose(value: number) {
  which.value = []
  if (!impossible(value)) emit('note', marked(String(value)), value)
}
const range = (): string => {
  const g = props.ask.gate
  if (props.ask.expect) return props.ask.expect
  if (!g) return ''
  if (g.low != null && g.high != null) return g.low === g.high ? tidy(g.low, 3) : `${tidy(g.low, 3)} to ${tidy(g.high, 3)}`
  return g.low != null ? `≥ ${tidy(g.low, 3)}` : `≤ ${tidy(g.high as number, 3)}`
}
</script>

<template>
  <div class="ask" :class="[{ big, bare }, told?.verdict]" :data-ask="ask.name">
    <label v-if="!bare && ask.kind !== 'tick'" class="soft small" :for="`ask-${ask.name}`">{{
      big ? 'You read' : ask.label
    }}</label>
    <template v-if="ask.kind === 'choice'">
      <span class="choices" role="group" :aria-label="label ?? ask.label">
        <button v-for="c in ask.choices" :key="c" :aria-pressed="told?.shown === c" @click="emit('note', c, null)">
          {{ c }}
        </button>
      </span>
    </template>
    <button
      v-else-if="ask.kind === 'tick'"
      class="tick"
      :aria-pressed="told?.shown === 'yes'"
      :aria-label="label ?? ask.label"
      @click="emit('note', told?.shown === 'yes' ? '' : 'yes', null)"
    >
      {{ told?.shown === 'yes' ? '✓ ' : '' }}{{ bare ? ask.expect || 'So it is' : ask.label }}
    </button>
    <span v-else class="typed">
      <KeptInput
        :id="`ask-${ask.name}`"
        :value="told?.shown ?? ''"
        :inputmode="ask.kind === 'figure' ? 'decimal' : 'text'"
        :aria-label="label ?? ask.label"
        :aria-invalid="!!wrong || told?.verdict === 'fail'"
        :placeholder="bare ? range() : ''"
        @commit="commit"
      />
      <small v-if="ask.unit && !bare">{{ ask.unit }}</small>
    </span>
    <WhichOne v-if="which.length" :values="which" :say="(v) => `${marked(String(v))} ${ask.unit ?? ''}`" @choose="choose" />
    <span v-else-if="wrong" class="wrong" role="alert">{{ wrong }}</span>
    <span v-else-if="told?.verdict === 'fail' && !big" class="wrong">{{ told.text }}</span>
    <span v-else-if="told?.verdict === 'unsure' && !big" class="unsure">{{ told.text }}</span>
    <span v-else-if="!bare && !big && range()" class="soft small">{{ range() }} {{ ask.expect ? '' : ask.unit }}</span>
  </div>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 3px;
  align-content: start;
}
.big {
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 9px 13px;
}
.typed {
  display: flex;
  align-items: baseline;
  gap: 6px;
}
.big .typed :deep(.el-input__wrapper) {
  box-shadow: none;
  border-bottom: 2px solid var(--rule);
  border-radius: 0;
  padding: 0;
}
.big .typed :deep(.el-input) {
  --el-component-size: 56px;
  height: 56px;
}
.big .typed :deep(input) {
  font-size: 40px;
  font-weight: 700;
  height: 54px;
}
.big small {
  font-size: 19px;
  color: var(--soft);
}
.fail :deep(input) {
  color: var(--stop);
  font-weight: 700;
}
.pass :deep(input) {
  color: var(--bank);
  font-weight: 700;
}
.unsure :deep(input) {
  color: var(--caution);
  font-weight: 700;
}
.bare :deep(.el-input) {
  width: 104px;
}
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
.choices button,
.tick {
  min-height: 46px;
}
.choices [aria-pressed='true'],
.tick[aria-pressed='true'] {
  background: var(--ink);
  color: var(--sheet);
  border-color: var(--ink);
}
.fail .choices [aria-pressed='true'] {
  background: var(--stop);
  border-color: var(--stop);
}
.wrong {
  color: var(--stop);
  font-size: 13px;
  max-width: 240px;
}
.unsure > span.unsure {
  color: var(--caution);
  font-size: 13px;
  max-width: 240px;
}
</style>
