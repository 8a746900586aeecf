<script setup lang="ts">
// The way to print a device's sheet, and what has changed on it since it was printed last, by anybody of the crew.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { api, type Plan } from '../../api/client'
import { useJob } from '../../job/use-job'
import { session } from '../../session/use-session'
import { when } from '../../ui/figures'
import { counted } from '../../ui/words'

const props = defineProps<{ sheet: Plan['units'][number] }>()
const job = useJob()
const client = useQueryClient()
const key = ['printed', job.id]
const printed = useQuery({ queryKey: key, queryFn: () => api.printed(job.id), staleTime: 30_000 })
const last = computed(() => printed.data.value?.items.find((p) => p.device === props.sheet.id))
const entries = computed(() => Object.fromEntries(props.sheet.settings.map((r) => [r.setting, r.entry])))
/** Settings whose entry is another than on the paper, by their names on the display. */
const changed = computed(() => {
  const was = last.value?.entries
  if (!was) return []
  const lines = props.sheet.settings
    .filter((r) => was[r.setting] !== r.entry)
    .map((r) => ({
      label: r.label,
      text: was[r.setting] === undefined ? `not on the paper, now ${r.entry}` : `${was[r.setting]} on the paper, now ${r.entry}`,
    }))
  const gone = Object.keys(was).filter((id) => !(id in entries.value))
  return [...lines, ...gone.map((id) => ({ label: id, text: 'on the paper, not entered any more' }))]
})
async function note() {
  if (session.value?.role === 'reader' || job.whatIf.value) return
  await api.notePrinted(job.id, props.sheet.id, entries.value).catch(() => undefined)
  await client.invalidateQueries({ queryKey: key })
}
</script>

<template>
  <span class="print">
    <a class="button" :href="`/api/jobs/${job.id}/sheets/${sheet.id}/pdf`" aria-label="PDF" download @click="note"
      >Print {{ sheet.id }} (PDF)</a
    >
    <details v-if="last && changed.length" class="small" data-printed>
      <summary class="caution">{{ counted(changed.length, 'line') }} changed since it was printed {{ when(last.at) }}</summary>
      <ul>
        <li v-for="c in changed" :key="c.label">“{{ c.label }}”: {{ c.text }}</li>
      </ul>
    </details>
    <span v-else-if="last" class="soft small" data-printed>as printed {{ when(last.at) }}</span>
  </span>
</template>

<style scoped>
.print {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
}
.caution {
  color: var(--caution);
  cursor: pointer;
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
</style>
