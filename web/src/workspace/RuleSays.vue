<script setup lang="ts">
// The id of a rule. A list of findings is long: what pops up is fetched and made for the one that is pressed.
import { shallowRef, type Component } from 'vue'

defineProps<{ id: string }>()
const popover = shallowRef<Component>()
const ask = async () => (popover.value = (await import('./RulePopover.vue')).default)
</script>

<template>
  <component :is="popover" v-if="popover" :id="id" />
  <button v-else class="rule link" aria-expanded="false" :aria-label="`What the rule ${id} says`" @click="ask">why</button>
</template>

<style scoped>
.rule {
  color: var(--soft);
  font-size: 13px;
  min-height: 32px;
  padding: 0;
  font-weight: 400;
}
</style>
