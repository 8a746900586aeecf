<script setup lang="ts">
// What is left behind: sign-off and sealed files, the logbook, what is due, and telling whether a file is unaltered.
import { computed, ref } from 'vue'
import StageHead from '../../ui/StageHead.vue'
import { moment } from '../../ui/figures'
import { counted } from '../../ui/words'
import ViewTabs from '../../ui/ViewTabs.vue'
import { useRun } from '../../record/use-run'
import CheckFile from './CheckFile.vue'
import DuePart from './DuePart.vue'
import LogbookPart from './LogbookPart.vue'
import SignPart from './SignPart.vue'

const emit = defineEmits<{ go: [pointer: string]; symptom: [id: string] }>()
const view = useRun()
const tab = ref<'sign' | 'log' | 'due' | 'check'>('sign')
const signed = computed(() => view.record.state.value.signed.at(-1))
const site = computed(() => view.site.value)
const answer = computed(() => {
  if (!site.value) return ''
  if (signed.value) return `Signed by ${signed.value.name}.`
  return site.value.may_close ? 'It may be signed.' : 'It may not be signed yet.'
})
const rests = computed(() => {
  if (signed.value) return `${moment(signed.value.at)}, ${signed.value.text}.`
  const open = site.value?.open_points.length ?? 0
  return site.value ? (open ? `${counted(open, 'open point')}.` : 'No open points.') : ''
})
const TABS = [
  ['sign', 'Sign-off'],
  ['log', 'Logbook'],
  ['due', 'Due'],
  ['check', 'Check a file'],
] as const
</script>

<template>
  <StageHead stage="handover" :answer="answer" :rests="rests" />
  <ViewTabs v-model="tab" :tabs="TABS" label="Views of the handover">
    <template #sign><SignPart :view="view" /></template>
    <template #log><LogbookPart :view="view" @symptom="(s) => emit('symptom', s)" /></template>
    <template #due><DuePart :view="view" /></template>
    <template #check><CheckFile /></template>
  </ViewTabs>
</template>
