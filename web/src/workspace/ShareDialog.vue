<script setup lang="ts">
// Read-only links to this job: anybody who has one reads its pages, until the day it ends. Each can be ended before.
import { useQuery } from '@tanstack/vue-query'
import { ElDialog } from 'element-plus'
import { ref } from 'vue'
import { api } from '../api/client'
import { useJob } from '../job/use-job'
import { moment } from '../ui/figures'
import { useGuarded } from '../ui/guarded'
import NoticeBar from '../ui/NoticeBar.vue'
import PickField from '../ui/PickField.vue'
import PlainInput from '../ui/PlainInput.vue'
import WaitNote from '../ui/WaitNote.vue'

const open = defineModel<boolean>({ required: true })
const job = useJob()
const links = useQuery({ queryKey: ['links', job.id], queryFn: () => api.links(job.id), staleTime: 0 })
const days = ref<string | number>(7)
const note = ref('')
const link = ref('')
const copied = ref(false)
const { busy, failure, guarded } = useGuarded()
/** An address that only this machine knows. */
const here = /^(localhost|127\.|\[::1\])/.test(window.location.hostname)
const act = (what: () => Promise<unknown>) => guarded(() => what().then(() => links.refetch()))
const make = () =>
  act(async () => {
    const made = await api.makeLink(job.id, Number(days.value), note.value.trim())
    link.value = `${window.location.origin}${made.path}`
    note.value = ''
  })
async function copyLink() {
  await navigator.clipboard.writeText(link.value)
  copied.value = true
  window.setTimeout(() => (copied.value = false), 2500)
}
</script>

<template>
  <ElDialog v-model="open" title="Read-only link" width="min(560px, 94vw)">
    <p>
      Whoever has the link reads the answers, findings and sheets of this job as last saved, without signing in. Nothing can be
      changed through it.
    </p>
    <p v-if="here" role="alert">This address works on this machine only.</p>
    <form class="line" @submit.prevent="make">
      <span class="label"
        ><span aria-hidden="true">Ends after</span
        ><PickField
          v-model="days"
          label="Ends after"
          :choices="[
            [1, '1 day'],
            [7, '7 days'],
            [30, '30 days'],
            [90, '90 days'],
          ]"
      /></span>
      <label>For whom <PlainInput v-model="note" maxlength="120" placeholder="for your list only" /></label>
      <button :disabled="busy">Make the link</button>
    </form>
    <NoticeBar v-if="link">
      <code data-link>{{ link }}</code>
      <button @click="copyLink">{{ copied ? 'Copied' : 'Copy' }}</button>
      <span class="small">It is not shown again.</span>
    </NoticeBar>
    <p v-if="failure" class="why" role="alert">{{ failure }}</p>
    <WaitNote v-if="links.isLoading.value" word="Reading the links" />
    <p v-else-if="links.isError.value" class="why" role="alert">The links cannot be read now.</p>
    <p v-else-if="!links.data.value?.items.length" class="soft">No link is open.</p>
    <ul v-else data-links>
      <li v-for="l in links.data.value?.items" :key="l.id">
        {{ l.note || 'no name' }}, by {{ l.made_by }}, until {{ moment(l.until) }}
        <button
          class="plain"
          :aria-label="`End the link for ${l.note || 'no name'}`"
          @click="act(() => api.endLink(job.id, l.id))"
        >
          End it
        </button>
      </li>
    </ul>
  </ElDialog>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 8px 12px;
}
.line label,
.label {
  display: grid;
  gap: 4px;
  font-size: 13px;
  color: var(--soft);
}
code {
  overflow-wrap: anywhere;
}
</style>
