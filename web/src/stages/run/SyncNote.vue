<script setup lang="ts">
// What waits for the line, in a few words; never hidden while something waits.
import { computed } from 'vue'
import type { OpenRecord } from '../../record/use-record'

const props = defineProps<{ record: OpenRecord; ready?: boolean }>()
const r = props.record
const text = computed(() => {
  const n = r.waiting.value
  const p = r.photosWaiting.value
  const parts = [n ? `${n} ${n === 1 ? 'event' : 'events'}` : '', p ? `${p} ${p === 1 ? 'photo' : 'photos'}` : ''].filter(Boolean)
  if (!parts.length)
    return r.away.value ? 'offline; all is kept on this device' : props.ready ? 'all sent, ready without network' : 'all sent'
  return `${parts.join(' and ')} ${n + p === 1 ? 'waits' : 'wait'} to be sent`
})
</script>

<template>
  <span class="sync" role="status" data-sync :class="{ away: r.away.value, late: r.waiting.value > 0 }">
    {{ text }}
    <span v-if="r.lateBy.value" class="bad">{{ r.lateBy.value }} <button class="link" @click="r.sync">Try again</button></span>
    <span v-if="r.refused.value.length" class="bad" :title="r.refused.value.map((e) => e.why).join('; ')"
      >{{ r.refused.value.length }} refused: {{ r.refused.value.at(-1)?.why }}</span
    >
    <span v-if="r.failure.value" class="bad" role="alert">{{ r.failure.value }}</span>
  </span>
</template>

<style scoped>
.sync {
  color: var(--soft);
  font-size: 13px;
}
.away,
.late {
  color: var(--caution);
  font-weight: 600;
}
.bad {
  color: var(--stop);
  font-weight: 600;
}
</style>
