<script setup lang="ts">
import { computed } from 'vue'
import StateMark from '../ui/StateMark.vue'
import { openStages, stages, type Stage } from '../stages/registry'
import { useJob } from '../job/use-job'

const props = defineProps<{ stage: Stage }>()
const job = useJob()
const told = computed<Record<string, string>>(() => {
  const steps = Object.entries(job.record.state.value.steps)
  const count = (fits: (id: string) => boolean, statuses: string[]) =>
    steps.filter(([id, s]) => fits(id) && statuses.includes(s.status)).length
  const proof = (id: string) => /^(proof|clock|sensor):/.test(id)
  const say = (fits: (id: string) => boolean) =>
    [
      ['done', ['done', 'skipped']],
      ['overridden', ['overridden']],
      ['failed', ['failed']],
      ['not put back', ['open']],
    ]
      .map(([word, statuses]) => [word, count(fits, statuses as string[])] as [string, number])
      .filter(([, n]) => n)
      .map(([word, n]) => `${n} ${word}`)
      .join(' · ')
  const last = job.record.state.value.signed.at(-1)
  return { run: say((id) => !proof(id)), proof: say(proof), handover: last ? `signed by ${last.name}` : '' }
})
// What was done on site colours its own stages.
const states = computed<Record<string, string>>(() => {
  const steps = Object.entries(job.record.state.value.steps)
  const worst = (fits: (id: string) => boolean) => {
    const all = steps.filter(([id]) => fits(id)).map(([, s]) => s.status)
    if (all.some((s) => s === 'failed' || s === 'open')) return 'stop'
    if (all.includes('overridden')) return 'caution'
    return all.length && job.record.state.value.signed.length ? 'ok' : 'open'
  }
  const proof = (id: string) => /^(proof|clock|sensor):/.test(id)
  return {
    run: worst((id) => !proof(id)),
    proof: worst(proof),
    handover: job.record.state.value.signed.length ? 'ok' : 'open',
  }
})
const lines = computed(() =>
  stages.value.map((s, i) => {
    const found = job.plan.value?.stages.find((x) => x.stage === s.name)
    return {
      stage: s.name,
      no: i + 1,
      word: s.word,
      about: s.about,
      state: states.value[s.name] ?? found?.state ?? 'open',
      key: found?.key || told.value[s.name] || '',
      built: openStages.value.includes(s.name),
    }
  }),
)
</script>

<template>
  <nav aria-label="Stages of the work" class="spine">
    <ol>
      <li v-for="l in lines" :key="l.stage">
        <RouterLink
          v-if="l.built"
          :to="{ name: 'job', params: { id: job.id, stage: l.stage } }"
          :class="{ on: l.stage === props.stage }"
          :aria-current="l.stage === props.stage ? 'step' : undefined"
          :title="l.about"
          replace
        >
          <span class="no">{{ l.no }}</span>
          <span class="word">{{ l.word }}</span>
          <StateMark :state="l.state" />
          <span class="key">{{ l.key }}</span>
        </RouterLink>
        <span v-else class="later">
          <span class="no">{{ l.no }}</span>
          <span class="word">{{ l.word }}</span>
          <StateMark v-if="l.state !== 'open'" :state="l.state" />
          <span class="key">{{ l.key || 'not in this version' }}</span>
        </span>
      </li>
    </ol>
  </nav>
</template>

<style scoped>
.spine {
  background: var(--paper);
  border-right: 1px solid var(--rule);
  overflow-y: auto;
}
ol {
  list-style: none;
  margin: 0;
  padding: 8px 0;
}
a,
.later {
  display: grid;
  grid-template-columns: 24px 1fr 18px;
  gap: 1px 8px;
  padding: 7px 12px 7px 8px;
  min-height: 56px;
  align-content: center;
  align-items: center;
  color: inherit;
  text-decoration: none;
  border-left: 3px solid transparent;
}
.later {
  min-height: 44px;
  color: var(--soft);
}
a:hover {
  background: var(--faint);
}
a.on {
  background: var(--sheet);
  border-left-color: var(--copper);
}
.no {
  text-align: right;
  color: var(--soft);
  font-size: 13px;
}
.word {
  font-weight: 600;
}
.later .word {
  font-weight: 400;
}
.key {
  grid-column: 2 / 4;
  color: var(--soft);
  font-size: 13px;
  line-height: 1.25;
}
@media (max-width: 1000px) {
  .key {
    display: none;
  }
  a,
  .later {
    grid-template-columns: 1fr;
    justify-items: center;
    text-align: center;
    padding: 6px 2px;
    font-size: 13px;
  }
  .no {
    display: none;
  }
}
</style>
