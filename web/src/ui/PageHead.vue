<script setup lang="ts">
// The bar over a page: the way home, where one is, and the theme. `home`: this is home.
import { otherTheme, theme } from './theme'

defineProps<{ where: string; home?: boolean }>()
</script>

<template>
  <header>
    <span v-if="home" class="word">Ewerer<i>.</i></span>
    <RouterLink v-else to="/" class="word" aria-label="Ewerer, all jobs">Ewerer<i>.</i></RouterLink>
    <span class="soft where">{{ where }}</span>
    <slot name="beside" />
    <span class="gap" />
    <button class="plain" :aria-label="theme === 'sun' ? 'Dark theme' : 'Light theme'" @click="otherTheme">
      {{ theme === 'sun' ? 'Dark' : 'Light' }}
    </button>
    <slot />
  </header>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 3px 22px;
  min-height: 48px;
  border-bottom: 1px solid var(--rule);
  background: var(--sheet);
}
.word {
  font-weight: 700;
  font-size: 17px;
  color: var(--ink);
  text-decoration: none;
}
.word i {
  font-style: normal;
  color: var(--copper);
}
.where {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.gap {
  flex: 1;
}
@media (max-width: 640px) {
  header {
    flex-wrap: wrap;
    gap: 0 8px;
    padding: 3px 10px;
  }
  header :slotted(.plain),
  header .plain {
    padding: 0 7px;
  }
}
</style>
