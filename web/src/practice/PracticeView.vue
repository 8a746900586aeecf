<script setup lang="ts">
// Practice: a site with hidden faults, meters that read its stand-ins, the fault finder's ranking; a score and a debrief at the end.
import { computed, nextTick, ref } from 'vue'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { useRouter } from 'vue-router'
import { api, ApiProblem, type Act, type TryAsked, type PracticeTry } from '../api/client'
import EmptyNote from '../ui/EmptyNote.vue'
import FileButton from '../ui/FileButton.vue'
import FoldPart from '../ui/FoldPart.vue'
import NoticeBar from '../ui/NoticeBar.vue'
import PageHead from '../ui/PageHead.vue'
import StateMark from '../ui/StateMark.vue'
import WaitNote from '../ui/WaitNote.vue'
import { percent, tidy, when } from '../ui/figures'
import { saveJson } from '../ui/save-file'
import { vStack } from '../ui/stack'
import { counted } from '../ui/words'

const router = useRouter()
const client = useQueryClient()
const id = computed(() => (router.currentRoute.value.params.try as string | undefined) || '')
const listKey = ['practice']
const list = useQuery({ queryKey: listKey, queryFn: api.tries, retry: false })
const key = computed(() => ['practice', id.value])
const one = useQuery({ queryKey: key, queryFn: () => api.readTry(id.value), enabled: computed(() => !!id.value), retry: false })
const state = computed<PracticeTry | undefined>(() => (id.value ? one.data.value : undefined))
const busy = ref(false)
const failure = ref('')
const answer = ref<HTMLElement>()

async function does<T>(what: () => Promise<T>): Promise<T | undefined> {
  if (busy.value) return
  busy.value = true
  failure.value = ''
  try {
    return await what()
  } catch (error) {
    failure.value = error instanceof ApiProblem ? error.inWords : String(error)
  } finally {
    busy.value = false
  }
}
async function begin(of: TryAsked) {
  const made = await does(() => api.beginTry(of))
  if (!made) return
  client.setQueryData(['practice', made.id], made)
  await router.push({ name: 'practice', params: { try: made.id } })
  await nextTick()
  answer.value?.focus()
}
async function act(asked: Act) {
  const told = await does(() => api.actInTry(id.value, asked))
  if (!told) return
  client.setQueryData(key.value, told)
  if (told.over) void client.invalidateQueries({ queryKey: listKey, exact: true })
  if (told.over || asked.do === 'mend') answer.value?.focus()
}
async function scenarioFile([file]: File[]) {
  if (!file) return
  try {
    await begin({ scenario: JSON.parse(await file.text()) as Record<string, unknown> })
  } catch {
    failure.value = `${file.name} is no scenario; right would be a file that a trainer saved here.`
  }
}
async function handOn() {
  const made = await does(() => api.handOn(id.value))
  if (made) saveJson(`practice-${made.level}-${made.seed}`, made)
}
const last = computed(() => state.value?.done.at(-1))
const LEVELS = ['one fault, one site', 'one fault, several sites', 'two faults', 'two faults, any site', 'three faults']
const ready = computed(() => state.value?.tests.filter((t) => t.answer === null) ?? [])
const seen = computed(() => (state.value?.seen ?? []).filter((r) => Object.keys(r.shown).length))
const who = computed(() => [...new Set(seen.value.flatMap((r) => Object.keys(r.shown)))])
type Shown = { value: number | string }
const cell = (r: { shown: Record<string, unknown>; unit: string }, d: string) => {
  const held = r.shown[d] as Shown | undefined
  if (!held) return ''
  return typeof held.value === 'number' ? `${tidy(held.value, 2)} ${r.unit}` : held.value
}
const headline = computed(() => {
  const s = state.value
  if (!s) return ''
  if (s.score && !s.score.safe) return `Over: ${s.score.why}`
  if (s.score) return `${s.score.points} points: ${s.score.found} of ${s.score.of} found and mended.`
  if (s.ways.length) return 'Right. How do you mend it?'
  return `The owner says: ${s.complaint?.symptom ?? ''}`
})
</script>

<template>
  <div>
    <PageHead where="Practice" />
    <main>
      <template v-if="!id">
        <h1>Practice</h1>
        <p class="lede">
          A site with hidden faults. Look, test, name the cause and mend it; nothing here can hurt anybody. An unsafe way ends the
          try, as it would end the day.
        </p>
        <NoticeBar v-if="failure" kind="bad">{{ failure }}</NoticeBar>
        <div class="levels">
          <button class="first" :disabled="busy" @click="begin({ lesson: true })">First lesson, ten minutes</button>
          <button v-for="(w, i) in LEVELS" :key="w" :disabled="busy" @click="begin({ level: i + 1 })">
            Level {{ i + 1 }}: {{ w }}
          </button>
          <FileButton label="Scenario file" word="From a trainer's file" accept=".json,application/json" @files="scenarioFile" />
        </div>
        <WaitNote v-if="list.isLoading.value || busy" word="Preparing" />
        <NoticeBar v-else-if="list.isError.value" kind="bad">
          Your tries cannot be read now. <button @click="() => list.refetch()">Try again</button>
        </NoticeBar>
        <EmptyNote v-else-if="!list.data.value?.length" title="No try yet">Begin with the first lesson.</EmptyNote>
        <table v-else v-stack="['Site']" data-tries>
          <thead>
            <tr>
              <th>Site</th>
              <th>Level</th>
              <th>By</th>
              <th>Begun</th>
              <th class="num">Points</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="t in list.data.value" :key="t.id">
              <td>
                <RouterLink :to="{ name: 'practice', params: { try: t.id } }">{{ t.site }}</RouterLink>
              </td>
              <td>{{ t.level }}</td>
              <td>{{ t.by }}</td>
              <td>{{ when(t.made_at) }}</td>
              <td class="num">{{ t.over ? (t.safe ? t.points : 'unsafe') : 'open' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-else>
        <p>
          <RouterLink :to="{ name: 'practice' }">‹ All tries</RouterLink>{{ ' ' }}
          <span v-if="state" class="soft"
            >{{ state.site }}, level {{ state.level }}: {{ counted(state.hidden, 'fault') }} hidden, {{ state.left }} left ·
            {{ state.minutes }} min</span
          >
        </p>
        <WaitNote v-if="one.isLoading.value" word="Preparing the site" />
        <NoticeBar v-else-if="one.isError.value" kind="bad">
          This try cannot be read. <button @click="() => one.refetch()">Try again</button>
        </NoticeBar>
        <template v-if="state">
          <h1 ref="answer" tabindex="-1" data-headline>
            <StateMark v-if="state.score" :state="state.score.safe ? (state.left ? 'caution' : 'ok') : 'stop'" /> {{ headline }}
          </h1>
          <p v-if="!state.over && state.complaint" class="soft">The display: {{ state.complaint.seen }}.</p>
          <p v-if="last && !state.over" role="status" class="last" data-last>
            <StateMark v-if="last.good !== null" :state="last.good ? 'ok' : 'stop'" /> {{ last.text }}
          </p>
          <NoticeBar v-if="failure" kind="bad">{{ failure }}</NoticeBar>
          <NoticeBar v-if="state.hint" kind="caution" data-hint>{{ state.hint }}</NoticeBar>
          <section v-if="state.ways.length" aria-label="Ways to mend it" class="ways">
            <button v-for="(w, i) in state.ways" :key="w" :disabled="busy" @click="act({ do: 'mend', way: i })">{{ w }}</button>
          </section>
          <div v-else-if="!state.over" class="two">
            <section aria-label="Tests">
              <h2>Your meters</h2>
              <ul data-meters>
                <li v-for="m in state.meters" :key="m.id">
                  <button class="link" :disabled="busy" @click="act({ do: 'measure', meter: m.id! })">{{ m.word }}</button>
                  <span class="mind small">{{ m.caution }}</span>
                </li>
              </ul>
              <h2>Tests you can make</h2>
              <ul data-tests>
                <li v-for="t in ready" :key="t.id">
                  <button class="link" :disabled="busy" @click="act({ do: 'test', test: t.id })">{{ t.question }}</button>
                  <span v-if="t.caution" class="mind small">{{ t.caution }}</span>
                </li>
              </ul>
            </section>
            <section aria-label="Causes">
              <h2>Causes, as they stand</h2>
              <ol data-causes>
                <li v-for="s in state.suspects" :key="s.id">
                  <span class="share num">{{ percent(s.probability) }}</span>
                  <span>{{ s.word }}</span>
                  <button :disabled="busy" :aria-label="`It is: ${s.word}`" @click="act({ do: 'name', cause: s.id })">
                    It is this
                  </button>
                </li>
              </ol>
            </section>
          </div>
          <section v-if="state.debrief" aria-label="What was hidden">
            <p v-if="state.score" class="soft" data-score>
              {{ counted(state.score.tests, 'test') }} and {{ state.score.minutes }} min; the shortest way takes
              {{ state.score.shortest.tests }} and {{ state.score.shortest.minutes }} min.
              {{ counted(state.score.wrong, 'wrong cause') }}, {{ counted(state.score.hints, 'hint') }}.
            </p>
            <h2>What was hidden</h2>
            <ul class="hidden">
              <li v-for="d in state.debrief" :key="d.word">
                <b>{{ d.word }}</b> <span class="soft">{{ d.found ? 'found' : 'not found' }}</span>
                <p v-if="d.display || d.wire" class="small">
                  It showed: {{ [d.display, d.wire, d.plant].filter(Boolean).join('; ') }}.
                </p>
                <p class="small">Told soonest by: {{ d.told_by.join(' ') }}</p>
                <p class="small">{{ d.mend }}</p>
              </li>
            </ul>
            <p class="levels">
              <button class="first" :disabled="busy" @click="begin({ level: state.level })">Another of this level</button>
              <button :disabled="busy" @click="handOn">Save the scenario for others</button>
            </p>
          </section>
          <p v-if="!state.over" class="levels">
            <button :disabled="busy" @click="act({ do: 'hint' })">A hint, for a point</button>
            <button class="plain" :disabled="busy" @click="act({ do: 'end' })">End and show what was hidden</button>
          </p>
          <FoldPart
            v-if="state.done.length"
            name="practice:done"
            title="What was done"
            :says="counted(state.done.length, 'act')"
            begins
          >
            <ol class="acts" aria-live="polite" data-done>
              <li v-for="(d, i) in state.done" :key="i">
                <StateMark v-if="d.good !== null" :state="d.good ? 'ok' : 'stop'" /> {{ d.text }}
              </li>
            </ol>
          </FoldPart>
          <FoldPart
            v-if="seen.length && !state.over"
            name="practice:seen"
            title="What the devices show"
            :says="counted(seen.length, 'reading')"
            begins
          >
            <table v-stack="['Reading']">
              <thead>
                <tr>
                  <th>Reading</th>
                  <th class="num">Expected</th>
                  <th v-for="d in who" :key="d" class="num">{{ d }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="r in seen" :key="r.word">
                  <td>{{ r.word }}</td>
                  <td class="num soft">{{ r.expected === null ? '' : `${tidy(r.expected, 2)} ${r.unit}` }}</td>
                  <td v-for="d in who" :key="d" class="num">{{ cell(r, d) }}</td>
                </tr>
              </tbody>
            </table>
          </FoldPart>
        </template>
      </template>
    </main>
  </div>
</template>

<style scoped>
main {
  max-width: 1080px;
  margin: 0 auto;
  padding: 24px 24px 64px;
}
h1 {
  display: flex;
  gap: 8px;
  align-items: center;
  margin: 8px 0;
}
h2 {
  margin: 24px 0 4px;
}
.last {
  font-weight: 600;
}
.levels {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin: 16px 0 24px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 32px;
}
.two ul,
.two ol,
.hidden {
  list-style: none;
  margin: 0;
  padding: 0;
}
.two li,
.hidden li {
  border-top: 1px solid var(--faint);
  padding: 4px 0;
}
.two ol li {
  display: flex;
  gap: 12px;
  align-items: center;
}
.two ol li button {
  margin-left: auto;
  flex: none;
}
.two .link {
  text-align: left;
  min-height: 40px;
}
.share {
  width: 48px;
  flex: none;
}
.mind {
  display: block;
}
.ways {
  display: grid;
  gap: 12px;
  max-width: 760px;
  margin: 16px 0;
}
.ways button {
  text-align: left;
  white-space: normal;
  padding: 12px 16px;
}
@media (max-width: 760px) {
  .two {
    grid-template-columns: 1fr;
  }
  main {
    padding: 16px 12px 48px;
  }
}
</style>
