<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { api, ApiProblem } from '../api/client'
import { queries } from '../api/queries'
import PlainInput from '../ui/PlainInput.vue'

/** An address where a calendar program reads what is due: a person's own, shown once, and taken back. */
const props = defineProps<{ made: boolean }>()
const client = useQueryClient()
const address = ref('')
const failure = ref('')

async function act(what: () => Promise<{ path: string } | null | undefined>) {
  failure.value = ''
  try {
    const made = await what()
    address.value = made ? new URL(made.path, window.location.origin).href : ''
    await client.invalidateQueries({ queryKey: queries.due().queryKey })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.inWords
  }
}
</script>

<template>
  <span class="calendar">
    <template v-if="address">
      <label for="calendar-address">Your calendar address, shown this once</label>
      <PlainInput id="calendar-address" :model-value="address" readonly @focus="($event.target as HTMLInputElement).select()" />
    </template>
    <button class="link" @click="act(api.makeFeed)">{{ props.made ? 'New calendar address' : 'Calendar address' }}</button>
    <button v-if="props.made" class="link" @click="act(api.endFeed)">Take it back</button>
    <span>Any calendar program reads what is due there; so does whoever has the address.</span>
    <span v-if="failure" role="alert" class="bad">{{ failure }}</span>
  </span>
</template>

<style scoped>
.calendar {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.calendar :deep(.el-input) {
  width: min(520px, 80vw);
}
</style>
