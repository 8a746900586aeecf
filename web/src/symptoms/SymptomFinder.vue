<script setup lang="ts">
// From what is seen to why: answer tests, causes are ranked anew, the most telling test comes next.
import { useQuery } from '@tanstack/vue-query'
import { ElDialog, ElInput, type InputInstance } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref, watch } from 'vue'
import { queries } from '../api/queries'
import { percent } from '../ui/figures'
import { hasWords } from '../ui/words'
import type { Stage } from '../stages/registry'
import { useJob } from '../job/use-job'
import { useLive } from '../live/use-live'

const open = defineModel<boolean>({ required: true })
const props = defineProps<{ begin?: string; ahead: () => string }>()
const emit = defineEmits<{ stage: [stage: Stage] }>()
const LOOK_MS = 2000
const job = useJob()
const list = useQuery(queries.symptoms())
const words = ref('')
const box = ref<InputInstance>()
function start() {
  words.value = props.ahead() + words.value
  box.value?.focus()
}
const chosen = ref(props.begin ?? '')
watch(
  () => props.begin,
  (id) => id && choose(id),
)
/** What the person answered, and what of the ports' answers they took back. */
const mine = ref<Record<string, number>>({})
const ignored = ref<string[]>([])
/** Tests that the ports of this job answer by themselves, as things stand now. */
const { live } = useLive(LOOK_MS)
const bears = ref<string[]>([])
const seen = computed(() =>
  Object.fromEntries(
    Object.entries(live.value?.evidence ?? {}).filter(([id]) => bears.value.includes(id) && !ignored.value.includes(id)),
  ),
)
const answers = computed<Record<string, number>>(() => ({ ...seen.value, ...mine.value }))
const found = computed(() => (list.data.value ?? []).filter((s) => hasWords(s.word, words.value)))
const told = useQuery(
  computed(() => ({
    ...queries.diagnosis(chosen.value, answers.value, job.document.value),
    enabled: chosen.value !== '',
  })),
)
const d = computed(() => (told.data.value?.symptom === chosen.value ? told.data.value : undefined))
watch(d, (now) => now && !bears.value.length && (bears.value = now.tests.map((t) => t.id)))
watch(chosen, () => (bears.value = []))
const asked = computed(() => d.value?.tests.filter((t) => t.answer !== null && t.answer !== undefined) ?? [])
const others = computed(
  () => d.value?.tests.filter((t) => t.answer == null && t.id !== d.value?.next?.id && t.bits > 0.005) ?? [],
)
function answer(id: string, outcome: number) {
  mine.value = { ...mine.value, [id]: outcome }
  const test = d.value?.tests.find((t) => t.id === id)
  // What was answered on site stays in the record.
  void job.record.add({
    kind: 'answer',
    name: `${chosen.value}/${id}`.slice(0, 120),
    shown: (test?.outcomes[outcome] ?? String(outcome)).slice(0, 60),
    text: d.value?.word ?? '',
  })
}
function takeBack(id: string) {
  const next = { ...mine.value }
  delete next[id]
  mine.value = next
  ignored.value = [...ignored.value, id]
}
function choose(id: string) {
  chosen.value = id
  mine.value = {}
  ignored.value = []
}
</script>

<template>
  <ElDialog v-model="open" title="What do you see?" width="min(860px, 96vw)" top="5vh" @opened="start">
    <div v-if="!chosen">
      <label for="symptom-words" class="visually-hidden">Words of the symptom</label>
      <ElInput
        id="symptom-words"
        ref="box"
        v-model="words"
        class="box"
        placeholder="zeros, alarm, never full"
        :validate-event="false"
      />
      <p v-if="list.isError.value" role="alert">
        The symptoms cannot be read now. <button @click="() => list.refetch()">Try again</button>
      </p>
      <ul class="symptoms">
        <li v-for="s in found" :key="s.id">
          <button class="plain" @click="choose(s.id)">{{ s.word }}</button>
        </li>
      </ul>
      <p v-if="list.isSuccess.value && !found.length" class="soft">Nothing by these words.</p>
    </div>
    <div v-else>
      <p class="head">
        <b>{{ d?.word ?? '' }}</b> <button class="link" @click="chosen = ''">another symptom</button>
      </p>
      <p v-if="told.isError.value" role="alert">
        The causes cannot be ranked now. <button @click="() => told.refetch()">Try again</button>
      </p>
      <div v-if="d" class="two">
        <section aria-label="Causes">
          <ol class="causes" aria-live="polite">
            <li v-for="(s, i) in d.suspects" :key="s.id" :data-cause="s.id">
              <svg width="62" height="10" class="share" aria-hidden="true">
                <rect x="0.5" y="0.5" width="61" height="9" class="frame" />
                <rect x="1" y="1" :width="60 * s.probability" height="8" class="part" />
              </svg>
              <b>{{ percent(s.probability) }}</b> {{ s.word }}
              <p v-if="s.because.length" class="small because">this plan: {{ s.because.join('; ') }}</p>
              <p v-if="i === 0 || s.probability > 0.3" class="small">
                {{ s.fix }} <button class="link small" @click="emit('stage', s.stage as Stage)">{{ s.stage }}</button>
              </p>
              <p v-if="s.caution && (i === 0 || s.probability > 0.3)" class="small caution-line">{{ s.caution }}</p>
            </li>
          </ol>
        </section>
        <section aria-label="Tests">
          <div v-if="d.next" class="ask" :data-test="d.next.id">
            <p class="soft small">The most telling test now</p>
            <p>
              <b>{{ d.next.question }}</b>
            </p>
            <p class="small">{{ d.next.how }}</p>
            <p v-if="d.next.caution" class="small caution-line">{{ d.next.caution }}</p>
            <p class="outcomes">
              <button v-for="(o, i) in d.next.outcomes" :key="o" @click="answer(d.next.id, i)">{{ o }}</button>
            </p>
          </div>
          <p v-else class="soft">No further test would tell much.</p>
          <ul v-if="asked.length" class="asked">
            <li v-for="t in asked" :key="t.id">
              {{ t.question }} <b>{{ t.outcomes[t.answer ?? 0] }}</b>
              <span v-if="!(t.id in mine) && t.id in seen" class="soft">, read by a port</span>
              <button class="link" :aria-label="`Take back: ${t.question}`" @click="takeBack(t.id)">take back</button>
            </li>
          </ul>
          <details v-if="others.length">
            <summary>Other tests</summary>
            <ul class="asked">
              <li v-for="t in others" :key="t.id">
                {{ t.question }}
                <button v-for="(o, i) in t.outcomes" :key="o" class="link" @click="answer(t.id, i)">{{ o }}</button>
              </li>
            </ul>
          </details>
        </section>
      </div>
    </div>
    <p class="soft small foot">
      Shares are judgement, not measurement. Live terminals and arcs hurt: test as the caution says, or not at all.
    </p>
  </ElDialog>
</template>

<style scoped>
.box {
  width: 100%;
  font-size: 16px;
}
.symptoms {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
  columns: 2;
}
.symptoms button {
  text-align: left;
  padding: 4px 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
}
.causes,
.asked {
  list-style: none;
  margin: 0;
  padding: 0;
}
.causes li,
.asked li {
  border-top: 1px solid var(--faint);
  padding: 7px 0;
}
.share {
  margin-right: 6px;
}
.frame {
  fill: none;
  stroke: var(--rule);
}
.part {
  fill: var(--copper);
}
.ask {
  border-left: 3px solid var(--copper);
  padding: 4px 12px 8px;
  background: var(--sheet);
}
.outcomes {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-top: 8px;
}
.because {
  color: var(--copper);
}
.caution-line {
  color: var(--caution);
}
.foot {
  margin-top: 14px;
}
@media (max-width: 760px) {
  .two {
    grid-template-columns: 1fr;
  }
  .symptoms {
    columns: 1;
  }
}
</style>
