<script setup lang="ts">
// Findings by rule, those of the stage that is open first. Cautions and notes can be put aside with a reason, which is recorded.
import { computed, defineAsyncComponent, nextTick, ref } from 'vue'
import type { Finding } from '../api/client'
import { useJob } from '../job/use-job'
import { placeInWords } from '../job/words'
import KeptInput from '../ui/KeptInput.vue'
import StateMark from '../ui/StateMark.vue'
import { gathered, type Gathered } from './gather'
import RuleSays from './RuleSays.vue'

const emit = defineEmits<{ go: [pointer: string] }>()
const props = defineProps<{ current: number; stage?: string }>()
const job = useJob()
const all = computed(() => gathered(job.plan.value?.findings ?? [], job.document.value))
const nameOf = (f: Gathered) => `Put aside: ${f.title}`.slice(0, 120)
/** What was said last of each that was put aside. */
const aside = computed(() => {
  const out = new Map<string, { reason: string; by: string }>()
  for (const a of job.record.state.value.answers) {
    if (!a.name.startsWith('Put aside: ')) continue
    if (a.shown === 'aside') out.set(a.name, { reason: a.text ?? '', by: a.by })
    else out.delete(a.name)
  }
  return out
})
const isAside = (f: Gathered) => f.severity !== 'stop' && aside.value.has(nameOf(f))
const here = (f: Gathered) => f.lines.some((l) => l.finding.stage === props.stage)
const findings = computed(() => {
  const open = all.value.filter((f) => !isAside(f))
  return [...open.filter(here), ...open.filter((f) => !here(f))]
})
const firstElsewhere = computed(() => findings.value.findIndex((f) => !here(f)))
const hidden = computed(() => all.value.filter(isAside))
const showAside = ref(false)
const asking = ref('')
function ask(f: Gathered) {
  asking.value = asking.value === nameOf(f) ? '' : nameOf(f)
  void nextTick(() => document.querySelector<HTMLElement>('.asking input')?.focus())
}
function putAside(f: Gathered, reason: string) {
  asking.value = ''
  if (reason.trim()) void job.record.add({ kind: 'answer', name: nameOf(f), shown: 'aside', text: reason.trim() })
}
const takeBack = (f: Gathered) => void job.record.add({ kind: 'answer', name: nameOf(f), shown: 'back' })
const plural = (n: number, word: string) => `${n} ${word}${n === 1 ? '' : 's'}`
const counts = computed(() => {
  const of = (s: Finding['severity']) => all.value.filter((f) => f.severity === s).length
  return `${plural(of('stop'), 'stop')} · ${plural(of('caution'), 'caution')} · ${plural(of('note'), 'note')}`
})
/** The display whose words a finding is about: its profile and setting. */
const taught = (f: Gathered) => {
  const { profile, setting } = (f.lines[0]?.finding.numbers ?? {}) as Record<string, unknown>
  return typeof profile === 'string' && typeof setting === 'string' ? { profile, setting } : undefined
}
const TeachDrawer = defineAsyncComponent(() => import('../library/TeachDrawer.vue'))
const lesson = ref<{ profile: string; setting: string }>()
const teaching = ref(false)
function teach(f: Gathered) {
  lesson.value = taught(f)
  teaching.value = true
}
const copied = ref(false)
async function copyText() {
  const lines = findings.value.map((f) =>
    [
      `${f.severity.toUpperCase()} ${f.title} (${f.rule})`,
      ...f.lines.map((l) => `  ${l.who ? `${l.who}: ` : ''}${l.finding.message}`),
      ...(f.fix ? [`  To do: ${f.fix}`] : []),
    ].join('\n'),
  )
  const what = job.whatIf.value ? ' (what-if, not saved)' : ''
  await navigator.clipboard.writeText(`${job.document.value?.name ?? ''}${what}: ${counts.value}\n\n${lines.join('\n\n')}\n`)
  copied.value = true
  window.setTimeout(() => (copied.value = false), 2500)
}
</script>

<template>
  <section class="findings" aria-label="Findings">
    <h2>
      <span>Findings</span><span role="status" aria-live="polite">{{ counts }}</span>
    </h2>
    <p v-if="findings.length" class="tools">
      <button class="link" @click="copyText">{{ copied ? 'Copied' : 'Copy as text' }}</button>
    </p>
    <div v-if="job.problems.value.length" class="refused" role="alert">
      <b>Refused; everything else counts</b>
      <ul>
        <li v-for="p in job.problems.value.slice(0, 6)" :key="p.pointer + p.message">
          <button class="link" @click="emit('go', p.pointer)">{{ placeInWords(p.pointer, job.document.value) }}</button>
          {{ p.message }}. Right would be {{ p.expected }}.
        </li>
      </ul>
      <p class="small">The plan is made without it. Your typing is kept.</p>
    </div>
    <p v-if="job.plan.value && findings.length === 0" class="soft">Nothing found against this plan.</p>
    <ol>
      <li
        v-for="(f, i) in findings"
        :key="f.rule + f.lines[0]?.finding.at + f.title"
        :class="[f.severity, { current: f.lines.some((l) => l.index === current), elsewhere: i === firstElsewhere && i > 0 }]"
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
          <RuleSays :id="f.rule" />
          <button
            v-if="f.lines.length === 1"
            class="link"
            :data-index="f.lines[0]?.index"
            :aria-label="`Show ${f.title}`"
            @click="emit('go', f.lines[0]?.finding.at ?? '')"
          >
            show
          </button>
          <button v-if="taught(f)" class="link" data-teach @click="teach(f)">say what its words mean</button>
          <button
            v-if="f.severity !== 'stop'"
            class="link"
            :aria-expanded="asking === nameOf(f)"
            :aria-label="`Put aside ${f.title}`"
            @click="ask(f)"
          >
            put aside
          </button>
          <span v-if="asking === nameOf(f)" class="asking">
            <KeptInput
              value=""
              :aria-label="`Why ${f.title} is put aside`"
              placeholder="why; Enter records it"
              @commit="(t) => putAside(f, t)"
            />
          </span>
        </div>
      </li>
    </ol>
    <p v-if="hidden.length" class="tools">
      <button class="link" :aria-expanded="showAside" @click="showAside = !showAside">{{ hidden.length }} put aside</button>
    </p>
    <ul v-if="showAside" class="aside">
      <li v-for="f in hidden" :key="nameOf(f)">
        <StateMark :state="f.severity" />
        <div>
          <b>{{ f.title }}</b>
          <p class="soft">{{ aside.get(nameOf(f))?.reason }} ({{ aside.get(nameOf(f))?.by }})</p>
          <button class="link" :aria-label="`Take back ${f.title}`" @click="takeBack(f)">take back</button>
        </div>
      </li>
    </ul>
    <TeachDrawer v-if="lesson" v-model="teaching" :profile="lesson.profile" :setting="lesson.setting" />
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
.tools {
  margin: 0;
}
.elsewhere {
  border-top: 2px solid var(--ink);
}
.asking {
  display: block;
}
.aside,
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
