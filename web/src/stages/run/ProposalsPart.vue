<script setup lang="ts">
// Figures measured on site that the plan would take: accepted by a press, or left with the reason told.
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import { tidy } from '../../ui/figures'
import type { RunView } from '../../record/use-run'

const props = defineProps<{ view: RunView }>()
const job = useJob()
const open = computed(() =>
  (props.view.site.value?.proposals ?? []).filter((p) => !p.answer && !(p.name in job.record.state.value.proposals)),
)
type P = (typeof open.value)[number]
const shown = (v: unknown) => (typeof v === 'number' ? tidy(v, 4) : v === null || v === undefined ? 'nothing' : String(v))
async function answer(p: P, shownAs: 'accept' | 'leave') {
  if (shownAs === 'accept') job.set(p.pointer, p.value)
  await job.record.add({
    kind: 'proposal',
    name: p.name,
    shown: shownAs,
    text: p.label,
    ...(typeof p.value === 'number' ? { value: p.value } : {}),
  })
}
</script>

<template>
  <section v-if="open.length" class="proposals" aria-label="Measured, for the plan">
    <h2>Measured, for the plan</h2>
    <ul>
      <li v-for="p in open" :key="p.name">
        <span
          ><b>{{ p.label }}</b> {{ shown(p.value) }}<template v-if="p.error"> ± {{ tidy(p.error, 3) }}</template> {{ p.unit }}
          <span class="soft">the job says {{ shown(p.before) }}</span></span
        >
        <span class="buttons">
          <button @click="answer(p, 'accept')">Take it</button>
          <button class="plain" @click="answer(p, 'leave')">Leave it</button>
        </span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.proposals {
  margin-top: 26px;
  border-top: 1px solid var(--rule);
  padding-top: 12px;
  max-width: 760px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  justify-content: space-between;
  align-items: center;
  border-top: 1px solid var(--faint);
  padding: 4px 0;
}
.buttons {
  display: flex;
  gap: 6px;
}
</style>
