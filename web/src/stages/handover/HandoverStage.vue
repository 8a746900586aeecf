<script setup lang="ts">
// What is left behind: sign-off and sealed files, the logbook, what is due, and telling whether a file is unaltered.
import { ref } from 'vue'
import ViewTabs from '../../ui/ViewTabs.vue'
import { useRun } from '../../record/use-run'
import CheckFile from './CheckFile.vue'
import DuePart from './DuePart.vue'
import LogbookPart from './LogbookPart.vue'
import SignPart from './SignPart.vue'

const emit = defineEmits<{ go: [pointer: string]; symptom: [id: string] }>()
const view = useRun()
const tab = ref<'sign' | 'log' | 'due' | 'check'>('sign')
const TABS = [
  ['sign', 'Sign-off'],
  ['log', 'Logbook'],
  ['due', 'Due'],
  ['check', 'Check a file'],
] as const
</script>

<template>
  <h1>Handover</h1>
  <p class="lede">The record that someone else can trust years later.</p>
  <ViewTabs v-model="tab" :tabs="TABS" label="Views of the handover">
    <template #sign><SignPart :view="view" /></template>
    <template #log><LogbookPart :view="view" @symptom="(s) => emit('symptom', s)" /></template>
    <template #due><DuePart :view="view" /></template>
    <template #check><CheckFile /></template>
  </ViewTabs>
</template>
