<script setup lang="ts">
// One of a few: a row of radio buttons that looks like one bar. Many: a plain select.
import { computed } from 'vue'
import { useJob } from '../workspace/use-job'

const props = defineProps<{
  path: string
  label: string
  choices: [string | number, string][]
  fallback?: string | number
  select?: boolean
  bare?: boolean
  flag?: boolean
}>()
const job = useJob()
const value = computed(() => {
  const held = job.at(props.path) as string | number | boolean | undefined
  return typeof held === 'boolean' ? Number(held) : (held ?? props.fallback)
})
const name = computed(() => 'c' + props.path.replace(/[^A-Za-z0-9]+/g, '-'))
const choose = (v: string | number) => job.set(props.path, props.flag ? v === 1 || undefined : v)
function picked(event: Event) {
  const index = (event.target as HTMLSelectElement).selectedIndex
  const found = props.choices[index]
  if (found) choose(found[0])
}
</script>

<template>
  <div v-if="select" class="field">
    <label :for="name" :class="{ 'visually-hidden': bare }">{{ label }}</label>
    <select :id="name" :data-pointer="path" @change="picked">
      <option v-for="[v, word] in choices" :key="v" :selected="v === value">{{ word }}</option>
    </select>
  </div>
  <div v-else class="field" role="radiogroup" :aria-label="label" :data-pointer="path" tabindex="-1">
    <span class="label" aria-hidden="true">{{ label }}</span>
    <span class="bar">
      <label v-for="[v, word] in choices" :key="v" :class="{ on: v === value }">
        <input type="radio" :name="name" :checked="v === value" @change="choose(v)" />{{ word }}
      </label>
    </span>
  </div>
</template>

<style scoped>
.field {
  display: grid;
  gap: 2px;
}
.label,
.field > label {
  font-size: 13px;
  color: var(--soft);
}
.bar {
  display: inline-flex;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--raised);
  width: fit-content;
  flex-wrap: wrap;
}
.bar label {
  padding: 0 12px;
  min-height: 38px;
  display: inline-flex;
  align-items: center;
  cursor: pointer;
  border-right: 1px solid var(--rule);
}
.bar label:last-child {
  border-right: 0;
}
.bar label.on {
  background: var(--ink);
  color: var(--sheet);
}
.bar label:focus-within {
  outline: 2.5px solid var(--focus);
  outline-offset: 2px;
}
.bar input {
  position: absolute;
  opacity: 0;
  width: 1px;
  min-height: 1px;
}
select {
  min-width: 64px;
}
</style>
