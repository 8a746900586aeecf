<script setup lang="ts">
// A finding says that a unit does not offer a planned choice: here its display's words get their meaning, saved and taken into the job at once.
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElDrawer } from 'element-plus'
import { computed, ref, watch } from 'vue'
import { api, ApiProblem } from '../api/client'
import { useJob } from '../job/use-job'
import { session } from '../session/use-session'
import ChoiceRows, { type ShownChoice } from './ChoiceRows.vue'
import { choiceKeys, shownChoices } from './choices'
import { useQuantities } from './quantities'
import { useLibrary } from './use-library'
import type { Profile } from './use-profile'

const props = defineProps<{ profile: string; setting: string }>()
const open = defineModel<boolean>({ required: true })
const job = useJob()
const client = useQueryClient()
const { all } = useQuantities()
const { of, nameOf } = useLibrary()
const held = useQuery(
  computed(() => ({
    queryKey: ['teach', props.profile],
    queryFn: () => api.profile(props.profile),
    enabled: open.value,
    gcTime: 0,
  })),
)
const document = computed(() => held.data.value as Profile | undefined)
const row = computed(() => ((document.value?.settings ?? []) as Profile[]).find((s) => s.id === props.setting))
const quantity = computed(() => String(row.value?.quantity ?? ''))
const choices = ref<ShownChoice[]>([])
watch([row, all], () => {
  const kept = (row.value?.encoding as { choices?: Record<string, string> } | undefined)?.choices ?? {}
  choices.value = shownChoices(kept, all.value.get(quantity.value))
})
const own = computed(() =>
  ['inverter', 'sun-charger', 'module', 'controller'].flatMap((k) => of(k)).some((p) => p.id === props.profile && p.own),
)
const may = computed(() => own.value && session.value?.role === 'lead')
const failure = ref('')
async function save() {
  const now = document.value
  if (!now) return
  const settings = ((now.settings ?? []) as Profile[]).map((s) =>
    s.id === props.setting ? { ...s, encoding: { ...(s.encoding as object), choices: choiceKeys(choices.value) } } : s,
  )
  try {
    const made = await api.saveProfile(props.profile, Number(now.revision ?? 1), { ...now, settings })
    await client.invalidateQueries({ queryKey: ['library'] })
    await client.invalidateQueries({ queryKey: ['teach'] })
    job.set(`/profile_revisions/${props.profile}`, made.revision)
    open.value = false
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.problems[0]?.message ?? error.detail
  }
}
</script>

<template>
  <ElDrawer v-model="open" size="min(480px, 96vw)" :title="`What ${nameOf(profile)} shows`" append-to-body>
    <p v-if="held.isLoading.value" class="soft">reading</p>
    <template v-else-if="row">
      <p>“{{ row.label }}” shows these words. Say what each means; the plan then knows which to enter.</p>
      <ChoiceRows
        :label="String(row.label)"
        :quantity="quantity"
        :choices="choices"
        :frozen="!may"
        @change="(c) => (choices = c)"
      />
      <p v-if="!own" class="soft">This profile ships with Ewerer: copy it in the library, change the copy, and choose it here.</p>
      <p v-else-if="!may" class="soft">A lead of the crew changes profiles.</p>
      <p v-if="failure" class="why" role="alert">{{ failure }}</p>
      <p class="acts">
        <button v-if="may" class="first" @click="save">Save and take it into the job</button>
        <RouterLink class="button" :to="{ name: 'library', params: { profile }, query: { from: job.id, stage: 'sheet' } }"
          >Open the profile</RouterLink
        >
      </p>
    </template>
    <p v-else class="soft">This profile cannot be read now.</p>
  </ElDrawer>
</template>

<style scoped>
.acts {
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.why {
  color: var(--stop);
}
</style>
