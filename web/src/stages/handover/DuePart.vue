<script setup lang="ts">
import { vStack } from '../../ui/stack'
import { computed } from 'vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import StateMark from '../../ui/StateMark.vue'
import { today } from '../../ui/figures'
import type { RunView } from '../../record/use-run'

const props = defineProps<{ view: RunView }>()
const due = computed(() => props.view.site.value?.due ?? [])
</script>

<template>
  <table v-if="due.length" v-stack>
    <tbody>
      <tr v-for="d in due" :key="d.date + d.what" data-due>
        <td><StateMark :state="d.date < today() ? 'caution' : 'open'" /></td>
        <td>{{ d.date }}{{ d.date < today() ? ', late' : '' }}</td>
        <td>{{ d.what }}</td>
        <td class="soft">{{ d.kind }}</td>
      </tr>
    </tbody>
  </table>
  <EmptyNote v-else title="Nothing is due"
    >Follow-ups begin with the sign-off; a raised limit is due on the day it is to be taken back.</EmptyNote
  >
</template>
