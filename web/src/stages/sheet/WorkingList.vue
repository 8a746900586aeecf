<script setup lang="ts">
// The working list: one step after the other, what it shows, what to type, what it resets, read-back, verdict.
import { vStack } from '../../ui/stack'
import WaitNote from '../../ui/WaitNote.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, nextTick, ref, toRef, watch } from 'vue'
import type { Plan, Step } from '../../api/client'
import ChoiceField from '../../ui/ChoiceField.vue'
import TextField from '../../ui/TextField.vue'
import KeptInput from '../../ui/KeptInput.vue'
import { useJob } from '../../job/use-job'
import FoldPart from '../../ui/FoldPart.vue'
import { useFold } from '../../ui/folds'
import { counted } from '../../ui/words'
import ReadByCable from '../../live/ReadByCable.vue'
import WriteByCable from '../../live/WriteByCable.vue'
import { mapPort, useLive } from '../../live/use-live'
import { session } from '../../session/use-session'
import { useOrder } from './use-order'

type Sheet = Plan['units'][number]
type Mark = { state: 'done' | 'skipped'; read_back?: string; note?: string }
const props = defineProps<{ sheet: Sheet }>()
const emit = defineEmits<{ found: []; next: [next: { says: string; rests: string }] }>()
const job = useJob()
const id = computed(() => props.sheet.id)
const { order, failure, ask } = useOrder(
  job,
  toRef(() => props.sheet.id),
)
// What is decided has become a line of the sheet; it stays here to be changed or taken back.
const byHand = computed(() => {
  const own = (job.at('/extra_entries/' + id.value) as Record<string, string> | undefined) ?? {}
  const decided = props.sheet.settings
    .filter((r) => r.setting in own)
    .map((r) => ({ ...r, known: r.note, takes: 'your entry, see above', factory: '', choices: r.choices ?? [] }))
  return [...props.sheet.decide, ...decided]
})
/** The port that reads this device, where there is one. */
const { live } = useLive(false)
const port = computed(() => mapPort(live.value, id.value))
const reader = computed(() => session.value?.role === 'reader')
const marks = computed(() => (job.at('/sheet_marks/' + id.value) as Record<string, Mark> | undefined) ?? {})
const verdicts = computed(() => new Map((job.plan.value?.readbacks?.[id.value] ?? []).map((r) => [r.key, r])))
const steps = computed(() => order.value?.steps ?? [])
const marked = computed(() => steps.value.filter((s) => marks.value[s.key]).length)
const at = (s: Step) => `/sheet_marks/${id.value}/${s.key}`
function set(s: Step, change: Partial<Mark> | null) {
  const now = marks.value[s.key]
  if (change === null) return job.set(at(s), undefined)
  const next: Mark = { state: now?.state ?? 'done', ...now, ...change }
  if (!next.read_back) delete next.read_back
  if (!next.note) delete next.note
  job.set(at(s), next)
}
const toggle = (s: Step, state: Mark['state']) => set(s, marks.value[s.key]?.state === state ? null : { state })
/** The line that is worked at: the first without a mark, until somebody picks another. */
const picked = ref<number | null>(null)
const current = computed(() => {
  const first = steps.value.findIndex((s) => !marks.value[s.key])
  return picked.value !== null && picked.value < steps.value.length ? picked.value : first
})
async function move(i: number) {
  if (i < 0 || i >= steps.value.length) return
  picked.value = i
  openAt.value = sections.value.findIndex((p) => i >= p.from && i < p.to)
  await nextTick()
  const next = document.querySelector<HTMLElement>(`[data-row="${i}"]`)
  next?.focus()
  next?.scrollIntoView({ block: 'nearest' })
}
async function enter(s: Step, i: number) {
  if (marks.value[s.key]?.state !== 'done') set(s, { state: 'done' })
  await move(i + 1)
}
function readBack(s: Step, text: string) {
  const plain = text.trim()
  if (plain === (marks.value[s.key]?.read_back ?? '')) return
  set(s, { read_back: plain || undefined })
}
// Take the work up where it was left: the first step without a mark.
const resumed = ref(false)
watch(
  steps,
  async (all) => {
    if (resumed.value || !all.length) return
    resumed.value = true
    const first = all.findIndex((s) => !marks.value[s.key])
    const active = document.activeElement
    if (first > 0 && (!active || active === document.body || active.id === 'stage')) await move(first)
  },
  { immediate: true },
)
const NEEDS: Record<string, string> = { standby: 'in standby', off: 'with the output off' }
interface Section {
  title: string
  from: number
  to: number
}
const page = (s: Step) => s.menu.join(' › ') || 'Menu'
/** Steps one after the other on one page of the menu, with what is done at the device before them. */
const sections = computed(() => {
  const out: Section[] = []
  let waiting = 0 // steps at the device that belong to the page after them
  steps.value.forEach((s, i) => {
    const last = out.at(-1)
    if (s.kind !== 'entry') waiting++
    else if (last?.title === page(s)) {
      last.to = i + 1
      waiting = 0
    } else {
      out.push({ title: page(s), from: i - waiting, to: i + 1 })
      waiting = 0
    }
  })
  const last = out.at(-1)
  if (last) last.to += waiting
  else if (waiting) out.push({ title: 'At the device', from: 0, to: waiting })
  return out
})
const numbered = (p: Section) => steps.value.slice(p.from, p.to).map((s, k) => [p.from + k, s] as [number, Step])
const markedIn = (p: Section) => steps.value.slice(p.from, p.to).filter((s) => marks.value[s.key]).length
const openAt = ref(-1)
const all = useFold('sheet:pages')
const isOpen = (k: number) => all.value || openAt.value === k
// One page is open at a time: the one that the work has come to.
watch(
  () => sections.value.findIndex((p) => current.value >= p.from && current.value < p.to),
  (k) => k >= 0 && (openAt.value = k),
  { immediate: true },
)
function turned(k: number, open: boolean) {
  if (all.value) return
  if (open) openAt.value = k
  else if (openAt.value === k) openAt.value = -1
}
const leftover = computed(() =>
  steps.value.filter(
    (s) => s.kind === 'entry' && (marks.value[s.key]?.state === 'skipped' || verdicts.value.get(s.key)?.ok === false),
  ),
)
const handSays = computed(() => {
  const own = Object.keys((job.at('/extra_entries/' + id.value) as object | undefined) ?? {}).length
  return `${counted(byHand.value.length, 'line')}, ${own ? `${own} decided` : 'none decided'}`
})
const through = computed(() => steps.value.length > 0 && marked.value === steps.value.length)
/** What to type next, for the head of the stage. */
const ahead = computed(() => {
  const s = steps.value.find((x) => !marks.value[x.key])
  const says = !order.value
    ? ''
    : !steps.value.length
      ? `${id.value} shows what it should: nothing to enter.`
      : !s
        ? `Everything is entered on ${id.value}.`
        : s.kind === 'entry'
          ? `Next on ${id.value}: set “${s.label}” to ${s.enter}${s.unit ? ` ${s.unit}` : ''}.`
          : `Next on ${id.value}: ${s.label}`
  const noted = order.value?.assumed
    ? `Nobody noted what ${id.value} shows: the list starts from factory values.`
    : order.value
      ? `${order.value.noted} noted, ${order.value.fits_already.length} fit already.`
      : ''
  return { says, rests: order.value ? `${marked.value} of ${steps.value.length} steps done. ${noted}` : '' }
})
watch(ahead, (next) => emit('next', next), { immediate: true })
</script>

<template>
  <CautionLine v-if="failure" stop>{{ failure }} <button @click="ask">Try again</button></CautionLine>
  <template v-if="order">
    <CautionLine v-if="order.blocked" stop data-blocked>
      <b>Not all of it can be entered.</b> {{ order.blocked.reasons.join('; ') }}.
      <template v-if="order.blocked.nearest.length">
        The nearest that can:
        <span v-for="n in order.blocked.nearest" :key="n.setting"
          >{{ n.label }} {{ n.nearest }} instead of {{ n.wanted }} {{ n.unit }}.
        </span>
      </template>
    </CautionLine>
    <EmptyNote v-if="!steps.length">Nothing to enter: what was noted fits the plan.</EmptyNote>
    <div v-else class="pages" aria-label="Working list" role="group">
      <details
        v-for="(p, k) in sections"
        :key="p.from"
        class="page"
        :open="isOpen(k)"
        @toggle="turned(k, ($event.target as HTMLDetailsElement).open)"
      >
        <summary>
          <b>{{ p.title }}</b>
          <span class="soft">{{ counted(p.to - p.from, 'step') }}{{ markedIn(p) ? `, ${markedIn(p)} done` : '' }}</span>
        </summary>
        <table v-if="isOpen(k)" v-stack="['No', 'Setting', 'Done', 'Mind']">
          <caption class="visually-hidden">
            {{
              sheet.name
            }},
            {{
              id
            }}
          </caption>
          <thead>
            <tr>
              <th>Line</th>
              <th class="num">Shows</th>
              <th class="num">Type</th>
              <th>Mind</th>
              <th><span class="visually-hidden">Done</span></th>
            </tr>
          </thead>
          <tbody>
            <template v-for="[i, s] in numbered(p)" :key="s.key">
              <tr
                :class="[
                  marks[s.key]?.state,
                  'is-' + s.kind,
                  { wrong: verdicts.get(s.key)?.ok === false, current: i === current },
                ]"
                :data-step="s.key"
                :aria-current="i === current ? 'step' : undefined"
                @click="picked = i"
              >
                <template v-if="s.kind === 'action'">
                  <td colspan="4">
                    <b>{{ s.label }}</b> <span class="soft small">{{ s.why }}</span>
                    <CautionLine v-if="s.caution">{{ s.caution }}</CautionLine>
                  </td>
                </template>
                <template v-else>
                  <td>
                    {{ s.label
                    }}<span v-if="s.word && s.label.toLowerCase() !== s.word.toLowerCase()" class="soft small what">{{
                      s.word
                    }}</span>
                  </td>
                  <td class="num soft">{{ s.shows }}</td>
                  <td class="num entry">
                    <b>{{ s.enter }}</b> {{ s.unit }}
                    <span v-if="s.encoding && s.unit !== ''" class="soft small what">{{ s.encoding }}</span>
                  </td>
                  <td class="mind small">
                    <b v-if="s.temporary">For now only. </b>
                    <span v-if="s.why && (i === current || s.temporary)"
                      >{{ s.why.charAt(0).toUpperCase() + s.why.slice(1) }}.
                    </span>
                    <span v-if="s.needs !== 'any'">Only {{ NEEDS[s.needs] }}. </span>
                    <span v-if="s.takes_effect === 'restart'">Works after a restart. </span>
                    <span v-if="s.resets.length" class="resets">
                      Resets
                      <template v-for="(r, n) in s.resets" :key="r.setting"
                        >{{ n ? ', ' : '' }}{{ r.label }} to {{ r.to }}{{ r.planned ? '' : ' (stays so)' }}</template
                      >.
                    </span>
                    <span v-if="s.note && i === current">{{ s.note }} </span>
                    <span v-if="s.caution" class="mindful">{{ s.caution }}</span>
                  </td>
                </template>
                <td class="act">
                  <template v-if="i === current">
                    <button
                      :data-row="i"
                      :data-pointer="at(s)"
                      :aria-pressed="marks[s.key]?.state === 'done'"
                      :aria-label="s.kind === 'action' ? s.label : `${s.label}: ${s.enter} ${s.unit}, done`"
                      class="tick"
                      @click="toggle(s, 'done')"
                      @keydown.enter.prevent="enter(s, i)"
                      @keydown.up.prevent="move(i - 1)"
                      @keydown.down.prevent="move(i + 1)"
                    >
                      {{ marks[s.key]?.state === 'done' ? 'Done ✓' : 'Done' }}
                    </button>
                    <button
                      class="plain skip"
                      :aria-pressed="marks[s.key]?.state === 'skipped'"
                      :aria-label="`Skip ${s.label}`"
                      @click="toggle(s, 'skipped')"
                    >
                      {{ marks[s.key]?.state === 'skipped' ? 'Skipped' : 'Skip' }}
                    </button>
                    <KeptInput
                      v-if="s.kind === 'entry'"
                      class="back"
                      placeholder="read back"
                      :aria-label="`Read back of ${s.label}`"
                      :value="marks[s.key]?.read_back ?? ''"
                      :aria-invalid="verdicts.get(s.key)?.ok === false"
                      @commit="(text) => readBack(s, text)"
                      @keydown.enter.prevent="enter(s, i)"
                    />
                    <WriteByCable
                      v-if="port?.writes && s.kind === 'entry' && !marks[s.key] && !job.whatIf.value"
                      :key="s.key"
                      :port="port.id"
                      :step="s.key"
                      :label="s.label"
                      :value="`${s.enter} ${s.unit}`.trim()"
                      @done="move(i + 1)"
                    />
                    <KeptInput
                      v-if="marks[s.key]"
                      class="note"
                      placeholder="note"
                      :aria-label="`Note on ${s.label}`"
                      :value="marks[s.key]?.note ?? ''"
                      @commit="(text) => set(s, { note: text.trim() || undefined })"
                    />
                  </template>
                  <template v-else>
                    <span v-if="marks[s.key]" class="soft small"
                      >{{ marks[s.key]?.state === 'done' ? '✓ done' : 'skipped'
                      }}{{ marks[s.key]?.read_back ? `, ${marks[s.key]?.read_back}` : '' }}</span
                    >
                  </template>
                  <span
                    v-if="verdicts.get(s.key)"
                    class="small verdict"
                    :class="{ bad: !verdicts.get(s.key)?.ok }"
                    :role="verdicts.get(s.key)?.ok ? undefined : 'alert'"
                    >{{ verdicts.get(s.key)?.text }}</span
                  >
                </td>
              </tr>
            </template>
          </tbody>
        </table>
      </details>
    </div>
    <section v-if="leftover.length" class="left" aria-label="Left over">
      <h2>{{ through ? 'Left over at the end' : 'Left over so far' }}</h2>
      <ul>
        <li v-for="s in leftover" :key="s.key">
          <b>{{ s.label }}</b> {{ s.enter }} {{ s.unit }}:
          {{ verdicts.get(s.key)?.ok === false ? verdicts.get(s.key)?.text : 'skipped' }}
        </li>
      </ul>
    </section>
    <p v-if="port && !reader && !job.whatIf.value"><ReadByCable :key="id" :port="port.id" :device="id" kind="read-back" /></p>
    <p v-if="sheet.unlock || sheet.keys" class="soft small" data-keys>
      <template v-if="sheet.keys">Keys: {{ sheet.keys }}. </template>
      <template v-if="sheet.unlock">Installer level: {{ sheet.unlock }}.</template>
    </p>
    <p class="soft small">
      <button v-if="order.assumed" class="link" @click="emit('found')">Note as found</button>
      Note what a unit shows before changing it. Installer settings are for licensed people; the maker's manual decides.
    </p>
    <p v-if="order.writes && order.proven" class="soft small">
      No shorter order is accepted by the unit{{ order.shortest_walk ? ', and none walks less through the menu' : '' }}.
    </p>
  </template>
  <WaitNote v-else-if="!failure" word="Working out the order" />
  <FoldPart
    v-if="sheet.feeds?.length"
    name="sheet:feeds"
    title="While another feed is in use"
    :says="counted(sheet.feeds.length, 'line')"
    data-feeds
  >
    <ul>
      <li v-for="f in sheet.feeds" :key="f.feed + f.setting">
        {{ f.feed }}: <b>{{ f.label }}</b> <span class="soft small">{{ f.menu.join(' › ') }}</span>
        <b>{{ f.entry }} {{ f.unit }}</b>
        <span v-if="!f.fits">its lowest: too much for this feed</span>
      </li>
    </ul>
  </FoldPart>
  <FoldPart
    v-if="byHand.length"
    name="sheet:by-hand"
    title="Decide by hand"
    :says="handSays"
    :pointer="`/extra_entries/${id}`"
    data-by-hand
  >
    <p class="soft small">
      No rule plans these. What you decide is noted here, goes on the sheet, and is judged like every entry.
    </p>
    <ul class="hand">
      <li v-for="h in byHand" :key="h.setting">
        <div>
          <b>{{ h.label }}</b> <span class="soft small">{{ h.menu.join(' › ') }}</span>
          <span class="what">{{ h.known }}</span>
          <CautionLine v-if="h.caution">{{ h.caution }}</CautionLine>
          <span class="soft small"
            >Takes {{ h.takes }}<template v-if="h.factory">; from the factory {{ h.factory }} {{ h.unit }}</template></span
          >
        </div>
        <ChoiceField
          v-if="h.choices?.length"
          :path="`/extra_entries/${id}/${h.setting}`"
          :label="`Your entry for ${h.label}`"
          select
          bare
          :choices="[['', 'as it is'], ...h.choices.map((c) => [c, c] as [string, string])]"
          fallback=""
        />
        <TextField
          v-else
          :path="`/extra_entries/${id}/${h.setting}`"
          :label="`Your entry for ${h.label}`"
          placeholder="as it is"
          bare
        />
      </li>
    </ul>
  </FoldPart>
  <FoldPart
    v-if="sheet.leave_alone.length"
    name="sheet:leave"
    title="Leave as is"
    :says="`${counted(sheet.leave_alone.length, 'line')} at factory value, each with its reason`"
  >
    <ul>
      <li v-for="l in sheet.leave_alone" :key="l.setting">
        <b>{{ l.label }}</b> <span class="soft small">{{ l.menu.join(' › ') }}</span> {{ l.why }}
      </li>
    </ul>
  </FoldPart>
</template>

<style scoped>
.page {
  border-top: 1px solid var(--rule);
}
.page:last-child {
  border-bottom: 1px solid var(--rule);
}
.page summary {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 40px;
  cursor: pointer;
}
.page table {
  margin-bottom: 12px;
}
tr.is-action td {
  background: var(--paper);
}
tr.current td {
  background: var(--copper-wash);
}
tr:not(.current) {
  cursor: pointer;
}
.hand {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
.hand li {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
  justify-content: space-between;
  border-top: 1px solid var(--rule);
  padding: 6px 0;
}
.hand li > div {
  flex: 1 1 320px;
}
.menu th {
  color: var(--ink);
  background: var(--paper);
  padding: 5px 8px;
}
td:first-child {
  padding-left: 8px;
  min-width: 148px;
}
.what {
  display: block;
}
.entry {
  white-space: nowrap;
}
.entry b {
  font-size: 19px;
}
.mind {
  max-width: 210px;
}
.back {
  width: 84px;
  text-align: right;
}
.back[aria-invalid='true'] {
  border-color: var(--stop);
  border-width: 2px;
}
.verdict {
  display: block;
  color: var(--bank);
  max-width: 130px;
}
.verdict.bad {
  color: var(--stop);
  font-weight: 600;
}
.act {
  white-space: nowrap;
}
.tick {
  width: 66px;
  justify-content: center;
}
.tick[aria-pressed='true'] {
  background: var(--bank);
  border-color: var(--bank);
  color: var(--sheet);
}
tr.done td {
  background: color-mix(in srgb, var(--bank) 9%, transparent);
}
tr.is-action.done td {
  background: color-mix(in srgb, var(--bank) 9%, transparent);
}
tr.wrong td {
  background: var(--stop-wash);
}
tr.skipped td {
  color: var(--soft);
}
.skip {
  padding: 0 6px;
}
.note {
  display: block;
  width: 128px;
  min-height: 32px;
  margin-top: 4px;
}
.progress {
  display: flex;
  gap: 10px;
  align-items: center;
  margin: 6px 0;
}
.assumed {
  color: var(--caution);
}
.mindful {
  color: var(--caution);
}
.track {
  width: 220px;
  display: inline-flex;
  vertical-align: middle;
}
.left {
  border-left: 3px solid var(--caution);
  padding: 6px 12px;
  margin: 12px 0;
}
</style>
