<script setup lang="ts">
// The display and the keys of a stand-in. Keys of the keyboard work on it too: arrows, Enter, Escape, Page Up and Down for ten.
import type { RigDisplay } from './use-live'

defineProps<{ id: string; name: string; display: RigDisplay }>()
const emit = defineEmits<{ key: [key: string] }>()
const KEYS: Record<string, string> = {
  ArrowUp: 'up',
  ArrowDown: 'down',
  PageUp: 'fast-up',
  PageDown: 'fast-down',
  Enter: 'enter',
  Escape: 'back',
}
function typed(event: KeyboardEvent) {
  const key = KEYS[event.key]
  if (!key) return
  event.preventDefault()
  event.stopPropagation()
  emit('key', key)
}
const BUTTONS: [string, string][] = [
  ['up', 'Up'],
  ['down', 'Down'],
  ['fast-up', 'Up ×10'],
  ['fast-down', 'Down ×10'],
  ['enter', 'Enter'],
  ['back', 'Back'],
]
const MODES: Record<string, string> = { on: 'Standby', standby: 'Output off', off: 'Output on' }
</script>

<template>
  <section class="panel" :data-display="id">
    <h3>
      {{ id }} <span class="soft">stand-in of {{ name }}</span>
    </h3>
    <div
      class="screen"
      :class="{ dark: display.asleep }"
      role="application"
      tabindex="0"
      :aria-label="`Display of ${id}: ${display.asleep ? 'dark' : display.title}`"
      @keydown="typed"
    >
      <p class="title">{{ display.title || '\u00a0' }}</p>
      <p
        v-for="n in 5"
        :key="n"
        :class="{ chosen: n - 1 === display.cursor, editing: display.editing && n - 1 === display.cursor }"
        :aria-current="n - 1 === display.cursor || undefined"
      >
        {{ display.lines[n - 1] ?? '\u00a0' }}
      </p>
      <p class="message" role="status">{{ display.message || '\u00a0' }}</p>
    </div>
    <p class="keys">
      <button v-for="[key, word] in BUTTONS" :key="key" :aria-label="`${word}, ${id}`" @click="emit('key', key)">
        {{ word }}
      </button>
    </p>
    <p class="keys">
      <button class="plain" @click="emit('key', 'unlock')">
        {{ display.level === 'installer' ? 'Lock' : 'Unlock' }} installer level
      </button>
      <button class="plain" @click="emit('key', 'state')">{{ MODES[display.mode] ?? display.mode }}</button>
      <button class="plain" @click="emit('key', 'restart')">Restart</button>
      <button v-if="display.asleep" @click="emit('key', 'wake')">Wake</button>
    </p>
  </section>
</template>

<style scoped>
.panel {
  width: min(360px, 100%);
}
h3 {
  font-size: 15px;
  margin: 0 0 4px;
}
h3 .soft {
  font-weight: 400;
}
.screen {
  border: 1px solid var(--ink);
  border-radius: 2px;
  padding: 8px 10px;
  background: var(--raised);
  font-family: ui-monospace, monospace;
  font-size: 14px;
}
.screen p {
  margin: 0;
  padding: 1px 4px;
  white-space: pre;
  overflow: hidden;
  text-overflow: ellipsis;
}
.screen.dark {
  background: var(--ink);
}
.title {
  border-bottom: 1px solid var(--rule);
  font-weight: 650;
}
.chosen {
  background: var(--faint);
  outline: 1px solid var(--rule);
}
.editing {
  background: var(--ink);
  color: var(--sheet);
}
.message {
  color: var(--caution);
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin: 6px 0 0;
}
</style>
