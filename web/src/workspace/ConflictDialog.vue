<script setup lang="ts">
// Two people saved. Both versions are here; nothing is lost whatever is chosen.
import { ElDialog } from 'element-plus'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { api } from '../api/client'
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
  if (now.clashes.length) return now.clashes.map((c) => ({ key: c.key, p: c.pointer, theirs: c.theirs, mine: c.mine }))
  return differences(now.theirs, job.document.value)
    .slice(0, 40)
    .map((p) => ({ key: '', p, theirs: read(now.theirs, p), mine: read(job.document.value, p) }))
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
    <div class="rows">
      <table>
        <thead>
          <tr>
            <th>Place</th>
            <th>Theirs</th>
            <th>Yours</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.p">
            <td>{{ placeInWords(r.p, job.document.value) }}</td>
            <td v-for="side in ['theirs', 'mine'] as const" :key="side">
              <label v-if="single" class="side">
                <input
                  type="radio"
                  :name="`clash-${r.key}`"
                  :checked="(taken[r.key] ?? 'mine') === side"
                  @change="taken[r.key] = side"
                />
                {{ valueInWords(r.p, r[side]) }}
              </label>
              <template v-else>{{ valueInWords(r.p, r[side]) }}</template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
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
.rows {
  max-height: 45vh;
  overflow: auto;
  margin: 10px 0;
}
td {
  max-width: 220px;
  overflow-wrap: anywhere;
}
.side {
  display: flex;
  gap: 6px;
  min-height: 40px;
  align-items: center;
}
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
