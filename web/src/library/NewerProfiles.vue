<script setup lang="ts">
// A newer version of a profile that this job pins: what changes, and taken by one press.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import { useJob } from '../job/use-job'
import { useLibrary } from './use-library'

const props = defineProps<{ kinds: string[] }>()
const job = useJob()
const { of } = useLibrary()
const pins = computed(() => (job.at('/profile_revisions') as Record<string, number> | undefined) ?? {})
const newer = computed(() =>
  props.kinds.flatMap((k) => of(k)).filter((p) => p.own && (pins.value[p.id] ?? p.revision) < p.revision),
)
const open = ref('')
const both = useQuery(
  computed(() => ({
    queryKey: ['versions-apart', open.value, pins.value[open.value]],
    queryFn: async () => {
      const [old, now] = await Promise.all([api.profile(open.value, pins.value[open.value]), api.profile(open.value)])
      return api.differences(old, now)
    },
    enabled: open.value !== '',
  })),
)
</script>

<template>
  <div v-for="p in newer" :key="p.id" class="newer" :data-newer="p.id">
    <p>
      <b>{{ p.name }}</b> has version {{ p.revision }}; this job keeps version {{ pins[p.id] }}.
      <button @click="job.set(`/profile_revisions/${p.id}`, p.revision)">Take version {{ p.revision }}</button>
      <button class="plain" :aria-expanded="open === p.id" @click="open = open === p.id ? '' : p.id">What changes</button>
    </p>
    <ul v-if="open === p.id && both.data.value" class="small">
      <li v-for="c in both.data.value.slice(0, 30)" :key="c.pointer + c.place">
        {{ c.place }}: {{ c.before }} <span aria-label="becomes">→</span> {{ c.after }}
      </li>
      <li v-if="both.data.value.length > 30">and {{ both.data.value.length - 30 }} more</li>
    </ul>
  </div>
</template>

<style scoped>
.newer {
  border-left: 3px solid var(--note);
  padding: 2px 12px;
  margin: 8px 0;
}
.newer p {
  margin: 0;
}
</style>
