<script setup lang="ts">
// What is still to fill in or to mend, what a plan would like besides, which factory values are dangerous; and a place to try it.
import { computed } from 'vue'
import StateMark from '../ui/StateMark.vue'
import TryPane from './TryPane.vue'
import WalkPane from './WalkPane.vue'
import { freeId, type OpenProfile } from './use-profile'
import type { Lack } from '../api/client'

const props = defineProps<{ profile: OpenProfile; frozen: boolean }>()
const emit = defineEmits<{ go: [part: string] }>()
const problems = computed(() => (props.frozen ? [] : props.profile.problems.value))
const danger = computed(() => props.profile.lacking.value.filter((l) => l.kind === 'danger'))
const lacking = computed(() => props.profile.lacking.value.filter((l) => l.kind === 'lacking'))
/** A row for what is lacking, ready to be filled in. */
function add(l: Lack) {
  const rows = (props.profile.at('/settings') as Record<string, unknown>[] | undefined) ?? []
  const menu = (rows.at(-1)?.menu as string[] | undefined) ?? ['Settings']
  const id = freeId(l.word, new Set(rows.map((r) => r.id)))
  props.profile.set('/settings', [...rows, { id, menu, label: l.word, quantity: l.quantity }])
  emit('go', 'menu')
  window.setTimeout(() => document.getElementById(`menu-${rows.length}-label`)?.focus(), 80)
}
const partOf = (pointer: string) =>
  pointer.startsWith('/settings')
    ? 'menu'
    : pointer.startsWith('/ports') || pointer.startsWith('/protocols')
      ? 'ports'
      : pointer.startsWith('/interlocks')
        ? 'rules'
        : /^\/(id|name|maker|ratings|ac_|max_parallel|series|capacity|charge_a|discharge_a|cell_|resistance|array|battery_v|class_v|charge_max)/.test(
              pointer,
            )
          ? 'plate'
          : 'all'
</script>

<template>
  <section v-if="problems.length" aria-label="To fill in or mend" class="part">
    <h2>To fill in or mend</h2>
    <ul>
      <li v-for="p in problems" :key="p.pointer + p.message">
        <button class="link" @click="emit('go', partOf(p.pointer))">{{ p.place }}</button>:
        {{ p.words }}
      </li>
    </ul>
  </section>
  <section v-if="danger.length" aria-label="Dangerous from the factory" class="part">
    <h2>Dangerous from the factory</h2>
    <ul class="plainlist">
      <li v-for="l in danger" :key="l.setting">
        <StateMark state="stop" /> <b>{{ l.word }}</b> {{ l.text }}
        <button class="link" :aria-label="`Show ${l.word}`" @click="emit('go', 'menu')">show it</button>
      </li>
    </ul>
  </section>
  <section v-if="lacking.length" aria-label="A plan would like" class="part">
    <h2>A plan would like</h2>
    <ul class="plainlist">
      <li v-for="l in lacking" :key="l.quantity">
        <StateMark state="open" /> <b>{{ l.word }}</b> {{ l.text }}
        <button v-if="!frozen" class="link" :aria-label="`Add ${l.word}`" @click="add(l)">add it</button>
      </li>
    </ul>
    <p class="soft small">None of this is required; add it when you know it.</p>
  </section>
  <p v-if="!problems.length && !profile.lacking.value.length" class="lede">Nothing is missing and nothing ships dangerous.</p>
  <WalkPane
    v-if="/^(inverter|sun-charger)/.test(String(profile.draft.value?.ewerer)) && !profile.problems.value.length"
    :profile="profile.draft.value ?? {}"
  />
  <TryPane v-if="profile.draft.value?.ewerer === 'inverter/1' && !profile.problems.value.length" :profile="profile.draft.value" />
</template>

<style scoped>
.part {
  margin-bottom: 16px;
}
.plainlist {
  list-style: none;
  padding: 0;
}
li {
  margin: 4px 0;
}
</style>
