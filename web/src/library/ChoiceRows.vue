<script setup lang="ts">
// What each word or code on a display means, from a list in plain words: in a pasted table, in a menu, and beside a finding.
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import KeptInput from '../ui/KeptInput.vue'
import PickField from '../ui/PickField.vue'
import { useQuantities } from './quantities'

export interface ShownChoice {
  shown: string
  means: string
}
const props = defineProps<{
  label: string
  quantity: string
  choices: ShownChoice[]
  frozen?: boolean
  /** Whether the words themselves can be changed too. */
  words?: boolean
  /** Protocols that this device's ports name. */
  protocols?: string[]
}>()
const emit = defineEmits<{ change: [choices: ShownChoice[]] }>()
const { all } = useQuantities()
const known = useQuery(queries.protocols())
const q = computed(() => all.value.get(props.quantity))
const offered = computed<[string, string][]>(() => {
  const own: [string, string][] =
    q.value?.kind === 'switch'
      ? [
          ['yes', 'on'],
          ['no', 'off'],
        ]
      : ((q.value?.choices ?? []) as unknown as [string, string][]).map(([k, w]) => [k, w])
  const named =
    props.quantity === 'bms_protocol' ? [...(props.protocols ?? []), ...(known.data.value ?? []).map((p) => p.name)] : []
  const held = props.choices.map((c) => c.means).filter((m) => m && !own.some(([k]) => k === m) && !named.includes(m))
  return [['', 'something else'], ...own, ...[...new Set([...named, ...held])].map((n) => [n, n] as [string, string])]
})
const set = (at: number, part: Partial<ShownChoice>) =>
  emit(
    'change',
    props.choices.map((c, i) => (i === at ? { ...c, ...part } : part.means && c.means === part.means ? { ...c, means: '' } : c)),
  )
</script>

<template>
  <ul class="choices" :aria-label="`What the words of ${label} mean`">
    <li v-for="(c, i) in choices" :key="i">
      <KeptInput
        v-if="words"
        :value="c.shown"
        class="shown"
        :disabled="frozen"
        :aria-label="`Word ${i + 1} of ${label}`"
        @commit="(t) => set(i, { shown: t })"
      />
      <code v-else>{{ c.shown }}</code>
      means
      <PickField
        :model-value="c.means"
        :label="`What ${c.shown} means`"
        :choices="offered"
        :disabled="frozen"
        @pick="(v) => set(i, { means: String(v) })"
      />
      <button
        v-if="words && !frozen"
        class="plain"
        :aria-label="`Remove ${c.shown}`"
        @click="
          emit(
            'change',
            choices.filter((_, k) => k !== i),
          )
        "
      >
        Remove
      </button>
    </li>
    <li v-if="words && !frozen">
      <button class="plain" @click="emit('change', [...choices, { shown: '', means: '' }])">Add a word</button>
    </li>
  </ul>
</template>

<style scoped>
.choices {
  list-style: none;
  padding: 0;
  margin: 4px 0;
  display: grid;
  gap: 4px;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.choices li :deep(.pick) {
  width: 168px;
}
code {
  min-width: 5ch;
}
.shown {
  width: 130px;
}
</style>
