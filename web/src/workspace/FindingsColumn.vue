<script setup lang="ts">
import { computed } from 'vue'
import StateMark from '../ui/StateMark.vue'
import { useJob } from '../job/use-job'
import { placeInWords } from '../job/words'
import { gathered } from './gather'

const emit = defineEmits<{ go: [pointer: string] }>()
defineProps<{ current: number }>()
const job = useJob()
const findings = computed(() => gathered(job.plan.value?.findings ?? [], job.document.value))
const plural = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`
const counts = computed(() => {
  const of = (s: string) => findings.value.filter((f) => f.severity === s).length
  return `${plural(of('stop'), 'stop')} · ${plural(of('caution'), 'caution')} · ${plural(of('note'), 'note')}`
})
</script>

<template>
  <section class="findings" aria-label="Findings">
    <h2>
      <span>Findings</span><span role="status" aria-live="polite">{{ counts }}</span>
    </h2>
    <div v-if="job.problems.value.length" class="refused" role="alert">
      <b>Not stored: the job cannot be read as it is</b>
      <ul>
        <li v-for="p in job.problems.value.slice(0, 6)" :key="p.pointer + p.message">
          <button class="link" @click="emit('go', p.pointer)">{{ placeInWords(p.pointer, job.document.value) }}</button>
          {{ p.message }}. Right would be {{ p.expected }}.
        </li>
      </ul>
      <p class="small">The figures below are from the last job that could be read. Your typing is kept.</p>
    </div>
    <p v-if="job.plan.value && findings.length === 0" class="soft">Nothing found against this plan.</p>
    <ol>
      <li
        v-for="f in findings"
        :key="f.rule + f.lines[0]?.finding.at + f.title"
        :class="[f.severity, { current: f.lines.some((l) => l.index === current) }]"
        :data-finding="f.rule"
      >
        <StateMark :state="f.severity" />
        <div>
          <b>{{ f.title }}</b>
          <p v-for="l in f.lines" :key="l.index">
            <template v-if="f.lines.length > 1 && !l.finding.message.startsWith(`${l.who}:`)">{{ l.who }}: </template
            >{{ l.finding.message }}
            <button
              v-if="f.lines.length > 1"
              class="link"
              :data-index="l.index"
              :aria-label="`Show ${l.who}, ${l.finding.title}`"
              @click="emit('go', l.finding.at)"
            >
              show
            </button>
          </p>
          <p v-if="f.fix && f.severity !== 'note'" class="fix">{{ f.fix }}</p>
          <span class="rule">{{ f.rule }}</span>
          <button
            v-if="f.lines.length === 1"
            class="link"
            :data-index="f.lines[0]?.index"
            :aria-label="`Show ${f.title}`"
            @click="emit('go', f.lines[0]?.finding.at ?? '')"
          >
            show
          </button>
        </div>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.findings {
  padding: 14px 16px;
}
h2 {
  display: flex;
  justify-content: space-between;
  color: var(--soft);
  font-size: 14px;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  border-top: 1px solid var(--rule);
  padding: 10px 0 6px;
  display: grid;
  grid-template-columns: 20px 1fr;
  gap: 0 8px;
}
ol > li.current {
  background: var(--copper-wash);
}
li b {
  font-weight: 650;
}
li p {
  margin: 3px 0;
}
.fix {
  color: var(--soft);
}
.rule {
  color: var(--soft);
  font-size: 13px;
}
.link {
  min-height: 32px;
}
li p .link {
  min-height: 24px;
}
.refused {
  background: var(--stop-wash);
  border-left: 3px solid var(--stop);
  padding: 8px 10px;
  margin-bottom: 10px;
}
.refused ul {
  margin: 4px 0;
  padding: 0;
  list-style: none;
}
.refused li {
  display: block;
  border: 0;
  padding: 2px 0;
}
</style>
