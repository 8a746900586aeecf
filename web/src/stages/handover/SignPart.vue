<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref } from 'vue'
import { api, ApiProblem } from '../../api/client'
import { queries } from '../../api/queries'
import FoldPart from '../../ui/FoldPart.vue'
import CautionLine from '../../ui/CautionLine.vue'
import PickField from '../../ui/PickField.vue'
import StateMark from '../../ui/StateMark.vue'
import { moment } from '../../ui/figures'
import { useJob } from '../../job/use-job'
import type { RunView } from '../../record/use-run'
import SyncNote from '../run/SyncNote.vue'

const props = defineProps<{ view: RunView }>()
const job = useJob()
const { record } = props.view
const client = useQueryClient()
const files = useQuery(queries.handovers(job.id))
const name = ref('')
const role = ref('commissioned it')
const ROLES = ['commissioned it', 'was there and saw it', 'takes it over'].map((r) => [r, r] as const)
const wrong = ref('')
const busy = ref(false)
const site = computed(() => props.view.site.value)
const last = computed(() => record.state.value.signed.at(-1))
const later = computed(() => !!last.value && record.state.value.visits.some((v) => v.at > (last.value?.at ?? '')))
const signed = computed(() => !!last.value && !later.value)
async function sign() {
  if (!name.value.trim()) return
  await record.add({ kind: 'signed', name: name.value.trim(), text: role.value, shown: `revision ${job.revision.value}` })
  name.value = ''
  await record.sync()
}
async function newVisit() {
  await record.add({ kind: 'visit', text: `Visit ${record.state.value.visits.length + 2}` })
}
async function seal(paper: 'A4' | 'Letter') {
  wrong.value = ''
  busy.value = true
  try {
    await record.sync()
    await api.seal(job.id, paper)
    await client.invalidateQueries({ queryKey: ['handovers', job.id] })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    wrong.value = error.problems.map((p) => p.message).join('; ') || error.message
  } finally {
    busy.value = false
  }
}
const size = (n: number) => (n > 1e6 ? `${(n / 1e6).toFixed(1)} MB` : `${Math.ceil(n / 1000)} kB`)
</script>

<template>
  <section class="two">
    <div>
      <h2>Open points</h2>
      <p v-if="!site" class="soft" aria-busy="true">Looking</p>
      <CautionLine v-for="w in site?.why_not ?? []" :key="w" stop>{{ w }}</CautionLine>
      <template v-if="site?.open_points.length">
        <ul class="points">
          <li v-for="p in site.open_points.slice(0, 5)" :key="p">{{ p }}</li>
        </ul>
        <FoldPart
          v-if="site.open_points.length > 5"
          name="handover:points"
          title="Further open points"
          :says="String(site.open_points.length - 5)"
        >
          <ul class="points">
            <li v-for="p in site.open_points.slice(5)" :key="p">{{ p }}</li>
          </ul>
        </FoldPart>
      </template>
      <p v-else-if="site"><StateMark state="ok" /> No open points.</p>
    </div>
    <div>
      <h2>Sign-off</h2>
      <ul v-if="record.state.value.signed.length" class="signed">
        <li v-for="s in record.state.value.signed" :key="s.id">
          <b>{{ s.name }}</b> {{ s.text }} <span class="soft small">{{ moment(s.at) }}{{ s.shown ? `, ${s.shown}` : '' }}</span>
        </li>
      </ul>
      <p v-if="signed" class="soft">
        Signed. What comes later is a new visit.
        <button @click="newVisit">Begin a new visit</button>
      </p>
      <form class="sign" @submit.prevent="sign">
        <label for="sign-name">Name in full</label>
        <ElInput id="sign-name" v-model="name" maxlength="120" :validate-event="false" />
        <label for="sign-role">Who</label>
        <PickField id="sign-role" v-model="role" label="Who" :choices="ROLES" />
        <button class="first" :disabled="!name.trim() || !site?.may_close">Sign</button>
        <SyncNote :record="record" />
      </form>
      <h2>Files</h2>
      <p class="line">
        <a class="button" :href="`/api/jobs/${job.id}/handover.pdf`" download>Pages as they stand (PDF, A4)</a>
        <a class="button plain" :href="`/api/jobs/${job.id}/handover.pdf?paper=Letter`" download>Letter</a>
        <button class="first" :disabled="!last || busy" @click="seal('A4')">{{ busy ? 'Sealing' : 'Seal the handover' }}</button>
        <button :disabled="!last || busy" @click="seal('Letter')">on Letter</button>
      </p>
      <p v-if="!last" class="soft">A handover is sealed once somebody has signed.</p>
      <p v-if="wrong" class="bad" role="alert">{{ wrong }}</p>
      <ul class="files">
        <li v-for="h in files.data.value?.items ?? []" :key="h.number">
          <a :href="`/api/jobs/${job.id}/handovers/${h.number}`" download>Handover {{ h.number }}</a>
          <span class="soft small">
            {{ moment(h.made_at) }} by {{ h.made_by }}, revision {{ h.revision }}, {{ size(h.size) }}<br />key
            {{ h.fingerprint }}</span
          >
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(300px, 100%), 1fr));
  gap: 26px;
}
.points,
.signed,
.files {
  padding-left: 18px;
  margin: 4px 0 14px;
}
.sign {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px 12px;
  align-items: center;
  margin: 8px 0 18px;
  max-width: 460px;
}
.sign button {
  grid-column: 2;
  justify-self: start;
}
.sign :deep(.sync) {
  grid-column: 1 / 3;
}
.files span {
  display: block;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 6px 0;
}
.bad {
  color: var(--stop);
  font-weight: 600;
}
</style>
