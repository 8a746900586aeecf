<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { SheetRow } from '../api/client'
import { useJob } from '../workspace/use-job'

type Mark = { state: 'done' | 'skipped'; read_back?: string; note?: string }
const job = useJob()
const units = computed(() => job.plan.value?.units ?? [])
const chosen = ref('')
const unit = computed(() => units.value.find((u) => u.id === chosen.value) ?? units.value[0])
const marks = (id: string) => (job.at('/sheet_marks/' + id) as Record<string, Mark> | undefined) ?? {}
const markOf = (row: SheetRow): Mark | undefined => (unit.value ? marks(unit.value.id)[row.setting] : undefined)
const doneOf = (id: string) => {
  const m = marks(id)
  return units.value.find((u) => u.id === id)?.settings.filter((s) => m[s.setting]).length ?? 0
}
const at = (row: SheetRow) => `/sheet_marks/${unit.value?.id}/${row.setting}`
function mark(row: SheetRow, state: Mark['state'] | null) {
  const now = markOf(row)
  job.set(at(row), state === null || now?.state === state ? undefined : { ...now, state })
}
function noted(row: SheetRow, text: string) {
  const now = markOf(row)
  const note = text.trim() || undefined
  if (!note && !now) return
  const next: Mark = { ...now, state: now?.state ?? 'skipped' }
  if (note) next.note = note
  else delete next.note
  job.set(at(row), next)
}
async function enter(row: SheetRow, i: number) {
  if (markOf(row)?.state !== 'done') job.set(at(row), { ...markOf(row), state: 'done' })
  await nextTick()
  const next = document.querySelector<HTMLElement>(`[data-row="${i + 1}"]`)
  next?.focus()
  next?.scrollIntoView({ block: 'nearest' })
}
const blocked = computed(() => job.plan.value?.findings.find((f) => f.severity === 'stop'))
const NEEDS: Record<string, string> = { standby: 'in standby', off: 'with the output off' }
const group = (rows: SheetRow[], i: number) => i === 0 || rows[i - 1]?.menu.join() !== rows[i]?.menu.join()
</script>

<template>
  <h1>Sheet</h1>
  <p class="lede">What to type into each unit, in this order. Enter marks a line done and moves on.</p>
  <template v-if="unit">
    <p v-if="blocked" class="stop-line" role="alert">
      <b>Do not energise:</b> {{ blocked.title }}. Clear the stop findings before entering.
    </p>
    <p class="caution-line">
      Note what a unit shows before changing it. Installer settings are for licensed people; the maker's manual decides.
    </p>
    <div class="tabs">
      <div role="tablist" aria-label="Units" class="tablist">
        <button v-for="u in units" :key="u.id" role="tab" :aria-selected="u.id === unit.id" @click="chosen = u.id">
          <b>{{ u.id }}</b> {{ u.role }} <span class="soft">{{ doneOf(u.id) }} of {{ u.settings.length }}</span>
        </button>
      </div>
      <span class="gap" />
      <a
        v-for="f in ['csv', 'xlsx', 'json']"
        :key="f"
        class="button"
        :href="`/api/jobs/${job.id}/sheets/${unit.id}?format=${f}`"
        download
        >{{ f.toUpperCase() }}</a
      >
    </div>
    <div class="scroll">
      <table>
        <caption class="visually-hidden">
          {{
            unit.name
          }},
          {{
            unit.id
          }}
        </caption>
        <thead>
          <tr>
            <th class="num">No</th>
            <th>Setting</th>
            <th class="num">Type</th>
            <th>Mind</th>
            <th>Note</th>
            <th>Done</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(r, i) in unit.settings" :key="r.setting">
            <tr v-if="group(unit.settings, i)" class="menu">
              <th colspan="6" scope="colgroup">{{ r.menu.join(' › ') }}</th>
            </tr>
            <tr :class="markOf(r)?.state">
              <td class="num soft">{{ i + 1 }}</td>
              <td>
                {{ r.label
                }}<span v-if="r.label.toLowerCase() !== r.word.toLowerCase()" class="soft small what">{{ r.word }}</span>
              </td>
              <td class="num entry">
                <b>{{ r.entry }}</b> {{ r.unit }}
                <span v-if="r.encoding && typeof r.value === 'number'" class="soft small what">{{ r.encoding }}</span>
              </td>
              <td class="mind small">
                <span v-if="r.needs !== 'any'">Only {{ NEEDS[r.needs] }}. </span
                ><span v-if="r.level === 'installer'">Installer level. </span>
                <span v-if="r.takes_effect === 'restart'">Works after a restart. </span>
                <span v-if="r.resets.length">Puts back {{ r.resets.join(', ') }}. </span><span v-if="r.note">{{ r.note }} </span>
                <span v-if="r.caution" class="caution-line">{{ r.caution }}</span>
              </td>
              <td>
                <input
                  class="note"
                  :aria-label="`Note on ${r.label}`"
                  :value="markOf(r)?.note ?? ''"
                  @change="noted(r, ($event.target as HTMLInputElement).value)"
                />
              </td>
              <td class="act">
                <button
                  :data-row="i"
                  :data-pointer="`/sheet_marks/${unit.id}/${r.setting}`"
                  :aria-pressed="markOf(r)?.state === 'done'"
                  :aria-label="`${r.label}: ${r.entry} ${r.unit}, done`"
                  class="tick"
                  @click="mark(r, 'done')"
                  @keydown.enter.prevent="enter(r, i)"
                >
                  {{ markOf(r)?.state === 'done' ? 'Done' : 'Mark' }}
                </button>
                <button
                  class="plain"
                  :aria-pressed="markOf(r)?.state === 'skipped'"
                  :aria-label="`Skip ${r.label}`"
                  @click="mark(r, 'skipped')"
                >
                  {{ markOf(r)?.state === 'skipped' ? 'Skipped' : 'Skip' }}
                </button>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <fieldset v-if="unit.leave_alone.length">
      <legend>Leave alone</legend>
      <ul>
        <li v-for="l in unit.leave_alone" :key="l.setting">
          <b>{{ l.label }}</b> <span class="soft small">{{ l.menu.join(' › ') }}</span> {{ l.why }}
        </li>
      </ul>
    </fieldset>
  </template>
  <p v-else class="empty">A sheet follows once bank and units are there and the thresholds fit. See the findings.</p>
</template>

<style scoped>
.tabs,
.tablist {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.tabs {
  gap: 6px;
  flex-wrap: wrap;
  margin: 10px 0;
  border-bottom: 1px solid var(--rule);
  padding-bottom: 8px;
}
.tabs [aria-selected='true'] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--sheet);
}
.tabs [aria-selected='true'] .soft {
  color: inherit;
}
.gap {
  flex: 1;
}
.scroll {
  overflow-x: auto;
}
.menu th {
  color: var(--ink);
  background: var(--paper);
  padding: 5px 8px;
}
td:first-child {
  padding-left: 8px;
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
  max-width: 250px;
}
.note {
  width: 120px;
}
.act {
  white-space: nowrap;
}
.tick {
  width: 74px;
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
tr.skipped td {
  color: var(--soft);
}
.act .plain {
  padding: 0 6px;
}
.caution-line {
  color: var(--caution);
  font-size: 14px;
}
.stop-line {
  background: var(--stop-wash);
  border-left: 3px solid var(--stop);
  padding: 8px 12px;
  margin-bottom: 6px;
}
.empty {
  border: 1px dashed var(--rule);
  padding: 24px;
}
</style>
