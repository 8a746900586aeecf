<script setup lang="ts">
// The menu of a device as a table to type down a column; one row opened shows how its display writes a figure, and what it changes.
import { vStack } from '../ui/stack'
import { computed, ref } from 'vue'
import EmptyNote from '../ui/EmptyNote.vue'
import KeptInput from '../ui/KeptInput.vue'
import NumberInput from '../ui/NumberInput.vue'
import PickField from '../ui/PickField.vue'
import ChoiceRows, { type ShownChoice } from './ChoiceRows.vue'
import { choiceKeys, shownChoices } from './choices'
import { downColumn, pastedColumn } from './columns'
import DisplayLine from './DisplayLine.vue'
import SentencePane from './SentencePane.vue'
import { asQuantity, useQuantities } from './quantities'
import { freeId, type OpenProfile } from './use-profile'

type Row = Record<string, unknown>
const props = defineProps<{ profile: OpenProfile; frozen: boolean }>()
const { all, choices, wordOf } = useQuantities()
const rows = computed(() => (props.profile.at('/settings') as Row[] | undefined) ?? [])
const open = ref(-1)
const at = (i: number, key: string) => `/settings/${i}/${key}`
const wrongAt = (i: number) =>
  props.profile.problems.value
    .filter((p) => p.pointer === `/settings/${i}` || p.pointer.startsWith(`/settings/${i}/`))
    .map((p) => p.words)
const chosen = (r: Row) => ['choice', 'on-off'].includes(String((r.encoding as Row | undefined)?.kind))
const idOf = (label: string, own: number) => freeId(label, new Set(rows.value.filter((_, k) => k !== own).map((r) => r.id)))
function add() {
  const last = rows.value.at(-1)
  const next = { id: idOf('', -1), menu: (last?.menu as string[] | undefined) ?? ['Settings'], label: '' }
  props.profile.set('/settings', [...rows.value, next])
  focus(rows.value.length - 1, 'label')
}
function label(i: number, text: string) {
  // A name for rules follows the name people see, as long as nothing names it yet.
  const row = rows.value[i] as Row
  const named = JSON.stringify({ ...props.profile.draft.value, settings: rows.value.filter((_, k) => k !== i) })
  const follows = row.id === idOf(String(row.label ?? ''), i) && !named.includes(`"${String(row.id)}"`)
  props.profile.set(`/settings/${i}`, { ...row, label: text, ...(follows ? { id: idOf(text, i) } : {}) })
}
function what(i: number, name: string) {
  const q = all.value.get(name)
  const next = asQuantity(rows.value[i] as Row, q)
  if (q && !next.unit && q.unit && !chosen(next)) next.unit = q.unit
  if (q && !next.label) next.label = q.word
  props.profile.set(`/settings/${i}`, next)
}
function writes(i: number, kind: string) {
  const next =
    kind === 'choice'
      ? { kind, choices: {} }
      : kind === 'on-off'
        ? { kind, choices: { yes: 'On', no: 'Off' } }
        : kind === 'percent-of-rated'
          ? { kind, rated: undefined }
          : kind === 'plain'
            ? undefined
            : { kind }
  props.profile.set(at(i, 'encoding'), next)
}
const WRITES: [string, string][] = [
  ['plain', 'a figure'],
  ['choice', 'a word from a list'],
  ['on-off', 'on or off'],
  ['percent-of-rated', 'percent of its rating'],
  ['per-2v-cell', 'volts of one 2-V cell'],
  ['hhmm', 'a time of day'],
]
const kindOf = (r: Row) => String((r.encoding as Row | undefined)?.kind ?? 'plain')
const listed = (r: Row): ShownChoice[] =>
  shownChoices(
    ((r.encoding as Row | undefined)?.choices as Record<string, string> | undefined) ?? {},
    all.value.get(String(r.quantity ?? '')),
  )
const setChoices = (i: number, choices: ShownChoice[]) => props.profile.set(at(i, 'encoding/choices'), choiceKeys(choices))
const figuresIn = (text: string) => {
  const list = text
    .split(/[;,]\s+|;/)
    .map((t) => Number(t.trim().replace(',', '.')))
    .filter(Number.isFinite)
  return list.length ? list.sort((a, b) => a - b) : undefined
}
const inWords = (r: Row) =>
  listed(r)
    .map((c) => c.shown)
    .join(', ')
function drop(i: number) {
  open.value = -1
  props.profile.set(
    '/settings',
    rows.value.filter((_, k) => k !== i),
  )
}
function move(from: number, to: number) {
  if (to < 0 || to >= rows.value.length || from === to) return
  const next = [...rows.value]
  const [one] = next.splice(from, 1)
  next.splice(to, 0, one as Row)
  open.value = open.value === from ? to : -1
  props.profile.set('/settings', next)
}
const dragged = ref(-1)
function focus(i: number, column: string) {
  window.setTimeout(() => document.querySelector<HTMLInputElement>(`#menu-${i}-${column}`)?.focus())
}
/** Enter goes down the column, and makes a row at its end. */
function down(event: KeyboardEvent, i: number) {
  if (downColumn(event) < 0 && i + 1 >= rows.value.length && (event.target as HTMLElement).id === `menu-${i}-label`) {
    event.preventDefault()
    window.setTimeout(add)
  }
}
const pasted = (event: ClipboardEvent) => {
  for (const key of ['min', 'max', 'step'])
    pastedColumn(event, key, (from, values) =>
      props.profile.setAll(
        values.flatMap((v, k) =>
          rows.value[from + k] && Number.isFinite(v) ? [[at(from + k, key), v] as [string, unknown]] : [],
        ),
      ),
    )
}
const named = computed(() =>
  ((props.profile.at('/protocols') as { name: string }[] | undefined) ?? []).map((p) => p.name).filter(Boolean),
)
const place = (r: Row) => ((r.menu as string[] | undefined) ?? []).join(' > ')
const setPlace = (i: number, text: string) =>
  props.profile.set(
    at(i, 'menu'),
    text
      .split(/\s*>\s*/)
      .map((t) => t.trim())
      .filter(Boolean),
  )
</script>

<template>
  <section>
    <EmptyNote v-if="!rows.length" title="The menu is empty">
      <p v-if="!frozen">Ten settings are enough to begin with. Paste the manual's table, or type row by row.</p>
    </EmptyNote>
    <div v-else class="scroll">
      <table v-stack @paste="pasted">
        <caption class="visually-hidden">
          Settings of the menu
        </caption>
        <thead>
          <tr>
            <th v-if="!frozen"><span class="visually-hidden">Order</span></th>
            <th>Place</th>
            <th>Name as displayed</th>
            <th>What it is</th>
            <th>Lowest</th>
            <th>Highest</th>
            <th>Step</th>
            <th>Unit</th>
            <th>Factory</th>
            <th><span class="visually-hidden">Actions</span></th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(r, i) in rows" :key="i">
            <tr
              :class="{ over: dragged >= 0 && dragged !== i }"
              :data-setting="r.id"
              @keydown.enter.capture="(e) => down(e, i)"
              @dragover.prevent
              @drop.prevent="(move(dragged, i), (dragged = -1))"
            >
              <td v-if="!frozen">
                <button
                  class="plain grip"
                  draggable="true"
                  :aria-label="`Move ${r.label || `row ${i + 1}`}; arrow keys up and down`"
                  @dragstart="dragged = i"
                  @dragend="dragged = -1"
                  @keydown.up.prevent="move(i, i - 1)"
                  @keydown.down.prevent="move(i, i + 1)"
                >
                  ⠿
                </button>
              </td>
              <td>
                <KeptInput
                  :id="`menu-${i}-place`"
                  :disabled="frozen"
                  :aria-label="`Place of row ${i + 1}`"
                  :value="place(r)"
                  @commit="(v) => setPlace(i, v)"
                />
              </td>
              <td>
                <KeptInput
                  :id="`menu-${i}-label`"
                  class="long"
                  :disabled="frozen"
                  :aria-label="`Name of row ${i + 1}`"
                  :value="String(r.label ?? '')"
                  @commit="(v) => label(i, v)"
                />
              </td>
              <td>
                <PickField
                  v-if="!frozen"
                  :id="`menu-${i}-what`"
                  :model-value="String(r.quantity ?? '')"
                  :label="`What ${r.label || `row ${i + 1}`} is`"
                  :choices="choices"
                  @pick="(v) => what(i, String(v))"
                />
                <template v-else>{{ r.quantity ? wordOf(String(r.quantity)) : '' }}</template>
              </td>
              <td v-if="chosen(r)" colspan="4">
                <span class="small">{{ inWords(r) || 'no words yet' }}</span>
                <button class="plain" :aria-label="`Words of ${r.label || `row ${i + 1}`}`" @click="open = open === i ? -1 : i">
                  what they mean
                </button>
              </td>
              <template v-else>
                <td v-if="r.values" colspan="3">
                  <KeptInput
                    class="long"
                    :disabled="frozen"
                    :aria-label="`Figures of ${r.label || `row ${i + 1}`}`"
                    :value="(r.values as number[]).join(', ')"
                    @commit="(v) => profile.set(at(i, 'values'), figuresIn(v))"
                  />
                </td>
                <td v-for="k in r.values ? [] : ['min', 'max', 'step']" :key="k">
                  <NumberInput
                    :id="`menu-${i}-${k}`"
                    class="figure"
                    :disabled="frozen"
                    :aria-label="`${k === 'min' ? 'Lowest' : k === 'max' ? 'Highest' : 'Step'} of ${r.label || `row ${i + 1}`}`"
                    :value="r[k]"
                    @set="(v) => profile.set(at(i, k), v)"
                  />
                </td>
                <td>
                  <KeptInput
                    :id="`menu-${i}-unit`"
                    class="short"
                    :disabled="frozen"
                    :aria-label="`Unit of ${r.label || `row ${i + 1}`}`"
                    :value="String(r.unit ?? '')"
                    @commit="(v) => profile.set(at(i, 'unit'), v || undefined)"
                  />
                </td>
              </template>
              <td>
                <KeptInput
                  :id="`menu-${i}-factory`"
                  class="short"
                  :disabled="frozen"
                  :aria-label="`Factory value of ${r.label || `row ${i + 1}`}`"
                  :value="String(r.factory ?? '')"
                  @commit="(v) => profile.set(at(i, 'factory'), v || undefined)"
                />
              </td>
              <td class="acts">
                <button
                  class="plain"
                  :aria-expanded="open === i"
                  :aria-label="`More of ${r.label || `row ${i + 1}`}`"
                  @click="open = open === i ? -1 : i"
                >
                  More
                </button>
                <button v-if="!frozen" class="plain" :aria-label="`Remove ${r.label || `row ${i + 1}`}`" @click="drop(i)">
                  Remove
                </button>
              </td>
            </tr>
            <tr v-if="wrongAt(i).length && !frozen">
              <td></td>
              <td colspan="9">
                <span v-for="w in wrongAt(i)" :key="w" class="why" role="alert">{{ w }}</span>
              </td>
            </tr>
            <tr v-if="open === i">
              <td></td>
              <td colspan="9" class="own">
                <DisplayLine :profile="profile" :setting="r" />
                <div class="fields">
                  <span class="cell">
                    <span class="label" aria-hidden="true">The display shows</span>
                    <PickField
                      :model-value="kindOf(r)"
                      label="The display shows"
                      :disabled="frozen"
                      :choices="WRITES"
                      @pick="(v) => writes(i, String(v))"
                    />
                  </span>
                  <span v-if="kindOf(r) === 'percent-of-rated'" class="cell">
                    <label :for="`rated-${i}`">Its rating, 100 %</label>
                    <NumberInput
                      :id="`rated-${i}`"
                      :disabled="frozen"
                      :value="(r.encoding as Row)?.rated"
                      @set="(v) => profile.set(at(i, 'encoding/rated'), v)"
                    />
                  </span>
                  <span class="cell">
                    <span class="label" aria-hidden="true">Entered on</span>
                    <PickField
                      :model-value="String(r.scope ?? 'same-on-all')"
                      label="Entered on"
                      :disabled="frozen"
                      :choices="[
                        ['same-on-all', 'all units alike'],
                        ['host', 'the host only'],
                        ['own', 'each its own'],
                        ['cluster-total', 'one, for all together'],
                      ]"
                      @pick="(v) => profile.set(at(i, 'scope'), v)"
                    />
                  </span>
                  <span class="cell">
                    <span class="label" aria-hidden="true">Can be changed</span>
                    <PickField
                      :model-value="String(r.needs ?? 'any')"
                      label="Can be changed"
                      :disabled="frozen"
                      :choices="[
                        ['any', 'at any time'],
                        ['standby', 'in standby'],
                        ['off', 'switched off'],
                      ]"
                      @pick="(v) => profile.set(at(i, 'needs'), v)"
                    />
                  </span>
                  <span class="cell wide">
                    <label :for="`menu-${i}-note`">Note</label>
                    <KeptInput
                      :id="`menu-${i}-note`"
                      :disabled="frozen"
                      :value="String(r.note ?? '')"
                      @commit="(v) => profile.set(at(i, 'note'), v || undefined)"
                    />
                  </span>
                </div>
                <ChoiceRows
                  v-if="chosen(r)"
                  :label="String(r.label || `row ${i + 1}`)"
                  :quantity="String(r.quantity ?? '')"
                  :choices="listed(r)"
                  :frozen="frozen"
                  :protocols="named"
                  words
                  @change="(c) => setChoices(i, c)"
                />
                <SentencePane :profile="profile" :frozen="frozen" :index="i" />
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <p v-if="!frozen"><button @click="add">Add a setting</button></p>
  </section>
</template>

<style scoped>
td {
  padding: 2px 6px 2px 0;
}
td :deep(.el-input) {
  width: 84px;
}
td :deep(.long.el-input) {
  width: 164px;
}
td :deep(.figure.el-input) {
  width: 74px;
}
td :deep(.short.el-input) {
  width: 66px;
}
td :deep(.pick) {
  width: 154px;
}
.own {
  background: var(--paper);
  padding: 8px 12px 12px;
}
.cell {
  display: grid;
  gap: 2px;
}
.cell.wide :deep(.el-input) {
  width: 300px;
}
label,
.label {
  font-size: 13px;
  color: var(--soft);
}
.grip {
  cursor: grab;
  padding: 0 6px;
  color: var(--soft);
}
.acts {
  white-space: nowrap;
}
.acts button {
  padding: 0 8px;
}
.why {
  display: block;
  color: var(--stop);
  font-size: 13px;
}
</style>
