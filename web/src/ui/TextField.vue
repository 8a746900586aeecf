<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useJob } from '../workspace/use-job'

const props = defineProps<{
  path: string
  label: string
  wide?: boolean
  needed?: boolean
  bare?: boolean
  list?: string
  placeholder?: string
}>()
const job = useJob()
const stored = computed(() => (job.at(props.path) as string | undefined) ?? '')
const text = ref(stored.value)
watch(stored, (v) => (text.value = v))
const id = computed(() => 'f' + props.path.replace(/[^A-Za-z0-9]+/g, '-'))
const refused = computed(() => job.problemAt.value.get(props.path))
function typed() {
  if (text.value === '' && props.needed) return
  job.set(props.path, text.value === '' ? undefined : text.value)
}
</script>

<template>
  <div class="field" :class="{ wide, bad: refused }">
    <label :for="id" :class="{ 'visually-hidden': bare }">{{ label }}</label>
    <input
      :id="id"
      v-model="text"
      :data-pointer="path"
      autocomplete="off"
      :list="list"
      :placeholder="placeholder"
      :aria-invalid="!!refused"
      @change="typed"
      @keydown.enter="typed"
    />
    <span v-if="refused" class="why" role="alert">{{ refused.message }}. Right would be {{ refused.expected }}.</span>
    <span v-else-if="needed && text === ''" class="why">Needed; the old one is kept.</span>
  </div>
</template>

<style scoped>
.field {
  display: grid;
  gap: 2px;
}
.wide {
  flex: 1 1 260px;
}
label {
  font-size: 13px;
  color: var(--soft);
}
.bad input {
  border-color: var(--stop);
}
.why {
  color: var(--stop);
  font-size: 13px;
}
</style>
