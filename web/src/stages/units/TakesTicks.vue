<script setup lang="ts">
// Which settings the menu of a device without a profile has.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { queries } from '../../api/queries'
import TickBox from '../../ui/TickBox.vue'

const props = defineProps<{ offered: string[]; taken: string[]; label: string }>()
const emit = defineEmits<{ take: [taken: string[]] }>()
const quantities = useQuery(queries.quantities())
const words = computed(
  () => new Map((quantities.data.value ?? []).map((q) => [q.name, q.name.endsWith('_soc') ? `${q.word}, %` : q.word])),
)
const take = (name: string) =>
  emit('take', props.taken.includes(name) ? props.taken.filter((n) => n !== name) : [...props.taken, name])
</script>

<template>
  <div role="group" :aria-label="label" class="takes">
    <span class="soft small">Its menu has</span>
    <TickBox
      v-for="name in offered"
      :key="name"
      :label="words.get(name) ?? name"
      :checked="taken.includes(name)"
      @change="take(name)"
    />
  </div>
</template>

<style scoped>
.takes {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  align-items: center;
  margin-top: 8px;
}
</style>
