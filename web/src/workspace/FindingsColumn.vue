<script setup lang="ts">
// Stops and cautions of the stage that is open in full, those of other stages as a line each, notes folded. A caution or note can
// be dismissed with a reason, which is recorded.
import { computed, defineAsyncComponent, nextTick, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import { placeInWords } from '../job/words'
import { stages } from '../stages/registry'
import { useFold } from '../ui/folds'
import { preferred } from '../ui/prefs'
import { counted } from '../ui/words'
import KeptInput from '../ui/KeptInput.vue'
import StateMark from '../ui/StateMark.vue'
import { gathered, tally, type Gathered } from './gather'
import RuleSays from './RuleSays.vue'

const emit = defineEmits<{ go: [pointer: string] }>()
const props = defineProps<{ current: number; stage?: string }>()
const job = useJob()
const all = computed(() => gathered(job.plan.value?.findings ?? [], job.document.value))
const OLD = /^Put aside: /
const nameOf = (f: Gathered) => `Dismissed: ${f.title}`.slice(0, 120)
/** What was said last of each that was dismissed. */
const aside = computed(() => {
  const out = new Map<string, { reason: string; by: string }>()
  for (const a of job.record.state.value.answers) {
    const name = a.name.replace(OLD, 'Dismissed: ').slice(0, 120)
    if (!name.startsWith('Dismissed: ')) continue
    if (a.shown === 'aside') out.set(name, { reason: a.text ?? '', by: a.by })
    else out.delete(name)
  }
  return out
})
const isAside = (f: Gathered) => f.severity !== 'stop' && aside.value.has(nameOf(f))
const here = (f: Gathered) => f.lines.some((l) => l.finding.stage === props.stage)
const findings = computed(() => all.value.filter((f) => !isAside(f)))
const urgent = computed(() => findings.value.filter((f) => f.severity !== 'note'))
const parts = computed(() => [
  { name: 'here', list: urgent.value.filter(here) },
  { name: 'elsewhere', list: urgent.value.filter((f) => !here(f)) },
  { name: 'notes', list: findings.value.filter((f) => f.severity === 'note').sort((a, b) => Number(here(b)) - Number(here(a))) },
])
const listOf = (name: string) => parts.value.find((p) => p.name === name)?.list ?? []
const stageWord = (f: Gathered) => stages.value.find((s) => s.name === f.lines[0]?.finding.stage)?.word ?? ''
/** Other stages' findings and notes are a line each until somebody opens one, or goes through all with n. */
const opened = ref(new Set<string>())
const FEW = 4
const more = useFold('findings:more')
const keyOf = (f: Gathered) => f.rule + (f.lines[0]?.finding.at ?? '') + f.title
const unfolded = useFold('findings:lines')
const isOpen = (f: Gathered) => unfolded.value || opened.value.has(keyOf(f)) || f.lines.some((l) => l.index === props.current)
function turn(f: Gathered) {
  const next = new Set(opened.value)
  if (!next.delete(keyOf(f))) next.add(keyOf(f))
  opened.value = next
}
const notes = useFold('findings:notes')
watch(
  () => props.current,
  (at) => listOf('notes').some((f) => f.lines.some((l) => l.index === at)) && (notes.value = true),
)
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
const counts = computed(() => tally(all.value) || 'none')
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
</script>

<template>
  <section class="findings" aria-label="Findings">
    <h2>
      <span>Findings</span><span class="visually-hidden" role="status" aria-live="polite">{{ counts }}</span>
    </h2>
    <div v-if="job.problems.value.length" class="refused" role="alert">
      <b>Refused; everything else counts</b>
      <ul>
        <li v-for="p in job.problems.value.slice(0, 6)" :key="p.pointer + p.message">
          <button class="link" @click="emit('go', p.pointer)">{{ placeInWords(p.pointer, job.document.value) }}</button>
          {{ p.message }}. Right would be {{ p.expected }}.
        </li>
      </ul>
      <p class="small">The plan is made without it. What you typed is kept.</p>
    </div>
    <p v-if="job.plan.value && findings.length === 0" class="soft">Nothing found against this plan.</p>
    <template v-for="part in parts" :key="part.name">
      <component
        :is="part.name === 'notes' ? 'details' : 'div'"
        v-if="part.list.length"
        :class="part.name"
        :open="part.name === 'notes' ? notes : undefined"
        @toggle="part.name === 'notes' && (notes = ($event.target as HTMLDetailsElement).open)"
      >
        <summary v-if="part.name === 'notes'">{{ counted(part.list.length, 'note') }}</summary>
        <h3 v-else-if="part.name === 'elsewhere'">Other stages</h3>
        <ol>
          <li
            v-for="f in part.name === 'elsewhere' && !more ? part.list.slice(0, FEW) : part.list"
            :key="keyOf(f)"
            :class="[f.severity, { current: f.lines.some((l) => l.index === current) }]"
            :data-finding="f.rule"
          >
            <StateMark :state="f.severity" />
            <div>
              <button v-if="part.name !== 'here'" class="line" :aria-expanded="isOpen(f)" @click="turn(f)">
                <span class="soft">{{ stageWord(f) }}</span> {{ preferred(f.title) }}
              </button>
              <b v-else>{{ preferred(f.title) }}</b>
              <div v-show="part.name === 'here' || isOpen(f)">
                <p v-for="l in f.lines" :key="l.index">
                  <template v-if="f.lines.length > 1 && !l.finding.message.startsWith(`${l.who}:`)">{{ l.who }}: </template
                  >{{ preferred(l.finding.message) }}
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
                <p v-if="f.fix && f.severity !== 'note'" class="fix">{{ preferred(f.fix) }}</p>
                <p class="acts">
                  <button
                    v-if="f.lines.length === 1"
                    :class="f.severity === 'note' ? 'link' : 'act'"
                    :data-index="f.lines[0]?.index"
                    :aria-label="`Show ${f.title}`"
                    @click="emit('go', f.lines[0]?.finding.at ?? '')"
                  >
                    {{ f.severity === 'note' ? 'show' : 'Go there' }}
                  </button>
                  <button v-if="taught(f)" class="link" data-teach @click="teach(f)">say what its choices mean</button>
                  <RuleSays :id="f.rule" />
                  <button
                    v-if="f.severity !== 'stop'"
                    class="link quiet"
                    :aria-expanded="asking === nameOf(f)"
                    :aria-label="`Dismiss ${f.title}`"
                    @click="ask(f)"
                  >
                    dismiss
                  </button>
                </p>
                <span v-if="asking === nameOf(f)" class="asking">
                  <KeptInput
                    value=""
                    :aria-label="`Why ${f.title} is dismissed`"
                    placeholder="reason; Enter records it"
                    @commit="(t) => putAside(f, t)"
                  />
                </span>
              </div>
            </div>
          </li>
        </ol>
        <button v-if="part.name === 'elsewhere' && part.list.length > FEW" class="link quiet" @click="more = !more">
          {{ more ? 'fewer' : `${part.list.length - FEW} more` }}
        </button>
      </component>
    </template>
    <p v-if="hidden.length" class="tools">
      <button class="link" :aria-expanded="showAside" @click="showAside = !showAside">{{ hidden.length }} dismissed</button>
    </p>
    <ul v-if="showAside" class="aside">
      <li v-for="f in hidden" :key="nameOf(f)">
        <StateMark :state="f.severity" />
        <div>
          <b>{{ f.title }}</b>
          <p class="soft">{{ aside.get(nameOf(f))?.reason }} ({{ aside.get(nameOf(f))?.by }})</p>
          <button class="link" :aria-label="`Restore ${f.title}`" @click="takeBack(f)">restore</button>
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
h3,
summary {
  margin: 20px 0 4px;
  font-size: 14px;
  font-weight: 600;
  color: var(--soft);
}
summary {
  min-height: 32px;
  cursor: pointer;
}
.line {
  display: block;
  width: 100%;
  min-height: 32px;
  padding: 0;
  border: 0;
  background: none;
  text-align: left;
}
.line:hover {
  text-decoration: underline;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 0 8px;
}
.act {
  min-height: 36px;
}
.quiet {
  font-weight: 400;
  color: var(--soft);
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
