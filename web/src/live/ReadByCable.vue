<script setup lang="ts">
// All settings of a device in one press, over its port: with progress, with a way to stop, with what could not be read.
import { computed, onBeforeUnmount, ref } from 'vue'
import { api, ApiProblem, type CableTask } from '../api/client'
import { useJob } from '../job/use-job'
import { counted } from '../ui/words'

const props = defineProps<{ port: string; device: string; kind: 'as-found' | 'read-back' }>()
const emit = defineEmits<{ done: [] }>()
const job = useJob()
const task = ref<CableTask | null>(null)
const failure = ref('')
const busy = computed(() => task.value !== null && ['waiting', 'working'].includes(task.value.state))
const word = computed(() => (props.kind === 'as-found' ? `Read ${props.device} over the cable` : `Read ${props.device} back`))
const LOOK_MS = 300
let timer = 0
async function guarded(what: () => Promise<void>) {
  try {
    await what()
  } catch (error) {
    failure.value = error instanceof ApiProblem ? error.message : 'The port does not answer.'
    task.value = null
  }
}
const begin = () =>
  guarded(async () => {
    failure.value = ''
    task.value = await api.readByCable(job.id, props.port, props.kind)
    timer = window.setTimeout(look, LOOK_MS)
  })
const look = () =>
  guarded(async () => {
    if (!task.value) return
    task.value = await api.cableTask(job.id, task.value.id)
    if (busy.value) timer = window.setTimeout(look, LOOK_MS)
    else if (task.value.state === 'done') {
      await job.record.sync()
      emit('done')
    }
  })
const stop = () =>
  guarded(async () => {
    window.clearTimeout(timer)
    if (task.value) task.value = await api.stopCable(job.id, task.value.id)
  })
onBeforeUnmount(() => window.clearTimeout(timer))
const differs = computed(() => Object.entries(task.value?.differs ?? {}))
const unread = computed(() => Object.entries(task.value?.unread ?? {}))
const said = computed(() => {
  const t = task.value
  if (!t || busy.value) return ''
  if (t.state === 'cancelled') return 'Stopped; nothing of it is kept.'
  if (t.state === 'failed') return ''
  const parts = [`${counted(t.read ?? 0, 'setting')} read`]
  if (unread.value.length) parts.push(`${unread.value.length} not`)
  if (props.kind === 'read-back') parts.push(differs.value.length ? `${differs.value.length} differ` : 'all as entered')
  return `${parts.join(', ')}.`
})
</script>

<template>
  <span class="cable" data-cable>
    <button v-if="!busy" @click="begin">{{ word }}</button>
    <template v-else>
      <progress :value="task?.done ?? 0" :max="task?.of || 1" :aria-label="word" />
      <span role="status">{{ task?.done ?? 0 }} of {{ task?.of || '…' }} requests</span>
      <button class="plain" @click="stop">Stop</button>
    </template>
    <span v-if="said" role="status">{{ said }}</span>
    <span v-if="failure || task?.error" class="why" role="alert">{{ failure || task?.error }}</span>
    <ul v-if="!busy && (differs.length || unread.length)" class="small">
      <li v-for="[id, [wanted, is]] in differs" :key="id">
        {{ id }}: <b>{{ is }}</b> instead of {{ wanted }}
      </li>
      <li v-for="[id, why] in unread" :key="id" class="soft">{{ id }}: {{ why }}; read it off the display</li>
    </ul>
  </span>
</template>

<style scoped>
.cable {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 12px;
}
ul {
  width: 100%;
  margin: 0;
  padding-left: 18px;
}
progress {
  width: 120px;
}
</style>
