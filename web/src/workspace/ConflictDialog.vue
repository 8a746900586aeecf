<script setup lang="ts">
// Two people saved. Both versions are here; nothing is lost whatever is chosen.
import { ElDialog } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../api/client'
import ClashTable from '../ui/ClashTable.vue'
import { when } from '../ui/figures'
import { differences, read } from '../job/pointer'
import { useJob } from '../job/use-job'
import { placeInWords, valueInWords } from '../job/words'

const job = useJob()
const router = useRouter()
const open = ref(true)
const late = computed(() => job.stale.value)
/** Only what both changed; all that differs, where it is not known who changed what. */
const rows = computed(() => {
  const now = late.value
  if (!now) return []
  const row = (key: string, p: string, theirs: unknown, mine: unknown) => ({
    key,
    place: placeInWords(p, job.document.value),
    theirs: valueInWords(p, theirs),
    mine: valueInWords(p, mine),
  })
  if (now.clashes.length) return now.clashes.map((c) => row(c.key, c.pointer, c.theirs, c.mine))
  return differences(now.theirs, job.document.value)
    .slice(0, 40)
    .map((p) => row(p, p, read(now.theirs, p), read(job.document.value, p)))
})
const single = computed(() => !!late.value?.clashes.length)
const taken = ref<Record<string, 'mine' | 'theirs'>>({})
const settle = () => job.settleConflict((clash) => taken.value[clash.key] ?? 'mine')
async function asCopy() {
  const mine = { ...job.document.value, name: `${job.document.value?.name} (mine)`.slice(0, 120) }
  const made = await api.createJob(mine)
  await job.settleConflict('theirs')
  await router.push({ name: 'job', params: { id: made.id } })
  router.go(0)
}
</script>

<template>
  <ElDialog
    v-if="late"
    v-model="open"
    title="Someone saved in between"
    width="min(760px, 94vw)"
    :close-on-click-modal="false"
    :close-on-press-escape="false"
    :show-close="false"
  >
    <p>
      {{ late.saved_by }} saved revision {{ late.current_revision }} at {{ when(late.saved_at) }}.
      {{ single ? 'Both of you changed these; everything else is put together already.' : 'These places differ:' }}
    </p>
    <ClashTable v-model="taken" :rows="rows" :choose="single" />
    <p class="buttons">
      <button v-if="single" class="first" @click="settle">Save what is chosen</button>
      <button v-else class="first" @click="job.settleConflict('mine')">Save mine on top</button>
      <button @click="job.settleConflict('theirs')">Take all of theirs</button>
      <button @click="asCopy">Keep mine as a new job</button>
    </p>
    <p class="soft small">Whatever you choose, every saved revision stays in the history; taking theirs can be undone.</p>
  </ElDialog>
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
