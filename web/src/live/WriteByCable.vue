<script setup lang="ts">
// One entry of the working list written over the cable: by somebody who stands at the unit, read back at once. What differs stops it.
import { onBeforeUnmount, ref } from 'vue'
import { api, ApiProblem } from '../api/client'
import { useJob } from '../job/use-job'

const props = defineProps<{ port: string; step: string; label: string; value: string }>()
const emit = defineEmits<{ done: [] }>()
const job = useJob()
const asking = ref(false)
const busy = ref(false)
const said = ref('')
const failure = ref('')
const LOOK_MS = 250
let timer = 0
async function write() {
  asking.value = false
  busy.value = true
  said.value = failure.value = ''
  try {
    await job.record.sync() // what was done by hand counts before what comes next
    const task = await api.writeByCable(job.id, props.port, props.step)
    const look = async (): Promise<void> => {
      const told = await api.cableTask(job.id, task.id)
      if (['waiting', 'working'].includes(told.state)) {
        timer = window.setTimeout(() => void look().catch(failed), LOOK_MS)
        return
      }
      busy.value = false
      const differs = Object.values(told.differs ?? {})[0]
      if (told.state !== 'done') failure.value = `${told.error} Writing is switched off.`
      else if (differs) failure.value = `It shows ${differs[1]} instead of ${differs[0]}. Writing is switched off.`
      else emit('done')
      await job.record.sync()
    }
    await look()
  } catch (error) {
    failed(error)
  }
}
function failed(error: unknown) {
  busy.value = false
  failure.value = error instanceof ApiProblem ? error.message : 'The port does not answer.'
}
onBeforeUnmount(() => window.clearTimeout(timer))
</script>

<template>
  <span class="write" data-write>
    <button v-if="!asking && !busy" class="plain" @click="asking = true">Write it over the cable</button>
    <span v-else-if="busy" role="status">writing</span>
    <template v-else>
      <span>I stand at the unit: {{ label }} becomes {{ value }}.</span>
      <button @click="write">Write</button>
      <button class="plain" @click="asking = false">Not now</button>
    </template>
    <span v-if="failure" class="why" role="alert">{{ failure }}</span>
  </span>
</template>

<style scoped>
.write {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
}
</style>
