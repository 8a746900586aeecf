<script setup lang="ts">
// A part of a screen that few people change: folded under a heading that says what is inside. What a person opened stays open.
import { computed } from 'vue'
import { useFold } from './folds'
import { jobOrNone } from '../job/use-job'
import { counted } from './words'

const props = defineProps<{
  name: string
  title: string
  says?: string
  /** Places of the figures inside: the heading counts them, and those that somebody gave. */
  paths?: readonly string[]
  pointer?: string
  /** Open until somebody closes it. */
  begins?: boolean
}>()
const open = useFold(props.name, props.begins ?? false)
const job = jobOrNone()
const told = computed(() => {
  if (props.says !== undefined || !props.paths) return props.says ?? ''
  const own = props.paths.filter((p) => job?.at(p) !== undefined).length
  return `${counted(props.paths.length, 'figure')}${own ? `, ${own} given` : ', none given'}`
})
</script>

<template>
  <details
    class="fold"
    :open="open"
    :data-fold="name"
    :data-pointer="pointer"
    @toggle="open = ($event.target as HTMLDetailsElement).open"
  >
    <summary>
      <h2>{{ title }}</h2>
      <span v-if="told" class="soft">{{ told }}</span>
    </summary>
    <div class="inside"><slot /></div>
  </details>
</template>

<style scoped>
.fold {
  border-top: 1px solid var(--rule);
}
summary {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  gap: 2px 12px;
  min-height: 44px;
  padding: 11px 0 9px;
  cursor: pointer;
  list-style: none;
}
summary::-webkit-details-marker {
  display: none;
}
summary::before {
  content: '';
  width: 7px;
  height: 7px;
  border: solid var(--soft);
  border-width: 0 2px 2px 0;
  transform: rotate(-45deg);
  align-self: center;
  flex: none;
}
[open] > summary::before {
  transform: rotate(45deg);
}
h2 {
  margin: 0;
  font-size: 16px;
}
.inside {
  padding: 4px 0 20px;
}
</style>
