<script setup lang="ts">
// Rules of a menu as sentences built from lists: what a setting brings back when it changes, when it works, and what must lie above what.
import { computed, ref } from 'vue'
import KeptInput from '../ui/KeptInput.vue'
import NumberInput from '../ui/NumberInput.vue'
import PickField from '../ui/PickField.vue'
import type { OpenProfile } from './use-profile'

type Row = Record<string, unknown>
interface Effect {
  when?: string
  sets: Record<string, string>
}
/** With an index: what belongs to one setting; without: the rules between settings. */
const props = defineProps<{ profile: OpenProfile; frozen: boolean; index?: number }>()
const settings = computed(() => (props.profile.at('/settings') as Row[] | undefined) ?? [])
const choices = computed(() => settings.value.map((s) => [String(s.id), String(s.label || s.id)] as [string, string]))
const labelOf = (id: string) => choices.value.find(([k]) => k === id)?.[1] ?? id
const own = computed(() => (props.index === undefined ? undefined : settings.value[props.index]))
const effects = computed(() => (own.value?.side_effects as Effect[] | undefined) ?? [])
const lines = computed(() =>
  effects.value.flatMap((e, i) => Object.entries(e.sets).map(([id, shown]) => ({ i, id, shown, when: e.when }))),
)
const target = ref('')
const back = ref('')
const only = ref('')
function addEffect() {
  if (!target.value || !back.value || props.index === undefined) return
  const when = only.value
    ? `${String(own.value?.id)} = ${/^[\w.-]+$/.test(only.value) ? only.value : `'${only.value}'`}`
    : undefined
  const next = effects.value.map((e) => ({ ...e, sets: { ...e.sets } }))
  const same = next.find((e) => e.when === when)
  if (same) same.sets[target.value] = back.value
  else next.push({ ...(when ? { when } : {}), sets: { [target.value]: back.value } })
  props.profile.set(`/settings/${props.index}/side_effects`, next)
  target.value = back.value = ''
}
function dropEffect(i: number, id: string) {
  const next = effects.value
    .map((e, k) => (k === i ? { ...e, sets: Object.fromEntries(Object.entries(e.sets).filter(([x]) => x !== id)) } : e))
    .filter((e) => Object.keys(e.sets).length)
  props.profile.set(`/settings/${props.index}/side_effects`, next.length ? next : undefined)
}
const interlocks = computed(() => (props.profile.at('/interlocks') as { rule: string }[] | undefined) ?? [])
const upper = ref('')
const lower = ref('')
const gap = ref<number | string | undefined>(0)
function addInterlock() {
  if (!upper.value || !lower.value || upper.value === lower.value) return
  props.profile.set('/interlocks', [
    ...interlocks.value,
    { rule: `${upper.value} - ${lower.value} >= ${Number(gap.value) || 0}` },
  ])
  upper.value = lower.value = ''
}
const dropInterlock = (i: number) => {
  const next = interlocks.value.filter((_, k) => k !== i)
  props.profile.set('/interlocks', next.length ? next : undefined)
}
function spoken(rule: string): string {
  const found = /^\s*([\w.-]+)\s*-\s*([\w.-]+)\s*>=\s*(\S+)\s*$/.exec(rule)
  if (!found) return rule
  const [, high, low, by] = found
  return Number(by)
    ? `${labelOf(high!)} lies at least ${by} above ${labelOf(low!)}`
    : `${labelOf(high!)} is never below ${labelOf(low!)}`
}
</script>

<template>
  <section v-if="index !== undefined" class="sentences">
    <h3>What it changes besides</h3>
    <ul v-if="lines.length">
      <li v-for="l in lines" :key="`${l.i}-${l.id}`">
        When <i>{{ own?.label }}</i> {{ l.when ? `becomes so (${l.when})` : 'changes' }}, <i>{{ labelOf(l.id) }}</i> goes back to
        <i>{{ l.shown }}</i>.
        <button v-if="!frozen" class="plain" :aria-label="`Remove ${labelOf(l.id)}`" @click="dropEffect(l.i, l.id)">
          Remove
        </button>
      </li>
    </ul>
    <p v-if="!frozen" class="build">
      When <i>{{ own?.label || 'it' }}</i> changes<template v-if="(own?.encoding as Row)?.kind === 'choice'">
        to
        <PickField
          v-model="only"
          label="Only when it becomes"
          :choices="[
            ['', 'anything'],
            ...Object.values((own?.encoding as { choices: Record<string, string> }).choices ?? {}).map(
              (c) => [c, c] as [string, string],
            ),
          ]" /></template
      >,
      <PickField v-model="target" label="Setting that goes back" placeholder="which setting" :choices="choices" />
      goes back to
      <KeptInput :value="back" class="short" aria-label="What it goes back to" :pause="300" @commit="(t) => (back = t)" />
      <button :disabled="!target || !back" @click="addEffect">Add</button>
    </p>
    <p class="build">
      It works only if
      <KeptInput
        class="cond"
        aria-label="It works only if"
        :disabled="frozen"
        :value="String(own?.works_only_if ?? '')"
        placeholder="always"
        @commit="(t) => profile.set(`/settings/${index}/works_only_if`, t || undefined)"
      />
      <span class="soft small">such as: type = User</span>
    </p>
  </section>
  <section v-else class="sentences">
    <h2>Rules between settings</h2>
    <p class="lede">What the device refuses on entry. The order of entry is found so that it never meets one.</p>
    <ul v-if="interlocks.length">
      <li v-for="(r, i) in interlocks" :key="i">
        {{ spoken(r.rule) }}.
        <button v-if="!frozen" class="plain" :aria-label="`Remove rule ${i + 1}`" @click="dropInterlock(i)">Remove</button>
      </li>
    </ul>
    <p v-if="!frozen" class="build">
      <PickField v-model="upper" label="Upper setting" placeholder="which setting" :choices="choices" />
      lies at least
      <NumberInput :value="gap" class="short" aria-label="By how much" @set="(v) => (gap = v)" />
      above
      <PickField v-model="lower" label="Lower setting" placeholder="which setting" :choices="choices" />
      <button :disabled="!upper || !lower || upper === lower" @click="addInterlock">Add</button>
    </p>
  </section>
</template>

<style scoped>
.sentences {
  margin-top: 10px;
}
h3 {
  font-size: 15px;
  margin: 8px 0 4px;
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
.build {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
  margin: 6px 0;
}
.build :deep(.short.el-input),
.build :deep(.short .el-input) {
  width: 84px;
}
.build :deep(.cond.el-input) {
  width: 260px;
}
</style>
