<script setup lang="ts">
// Several rows of a list at once: one field set on the ticked rows, or rows of a spreadsheet pasted in. One step to undo.
import { computed, ref, watch } from 'vue'
import { useJob } from '../job/use-job'
import FoldPart from './FoldPart.vue'
import PickField from './PickField.vue'
import PlainInput from './PlainInput.vue'
import TickBox from './TickBox.vue'
import { columnsOf, readCell, readRows } from './rows'
import { shownUnit } from './prefs'
import { counted } from './words'

const props = defineProps<{
  /** Where the list stands. */
  list: string
  /** One row, as a word: module, unit, price. */
  noun: string
  fields: readonly string[]
  /** Fields that hold text. */
  texts: readonly string[]
  most: number
  /** What a new row begins with. */
  fresh?: Record<string, unknown>
}>()
const job = useJob()
const rows = computed(() => (job.at(props.list) as Record<string, unknown>[] | undefined) ?? [])
const columns = computed(() => columnsOf(props.list, props.fields, props.texts))
const named = computed(() => rows.value.every((r) => typeof r.id === 'string'))

/** A list whose rows have no name of their own is replaced by what is pasted. */
const replaces = computed(() => !props.fields.includes('id'))

const ticked = ref(new Set<string>())
watch(
  () => rows.value.map((r) => String(r.id)).join('\n'),
  () => (ticked.value = new Set(rows.value.map((r) => String(r.id)))),
  { immediate: true },
)
function tick(id: string, on: boolean) {
  const next = new Set(ticked.value)
  if (on) next.add(id)
  else next.delete(id)
  ticked.value = next
}
const field = ref('')
const text = ref('')
const column = computed(() => columns.value.find((c) => c.field === field.value))
watch(field, () => (text.value = ''))
const cell = computed(() => (column.value ? readCell(props.list, column.value, text.value) : {}))
const several = computed(() => columns.value.filter((c) => c.field !== 'id' && c.field !== 'serial'))
function setAll() {
  if (!column.value || cell.value.why || !ticked.value.size) return
  job.setAll(
    rows.value.flatMap((r, i) =>
      ticked.value.has(String(r.id)) ? [[`${props.list}/${i}/${field.value}`, cell.value.value] as [string, unknown]] : [],
    ),
  )
  text.value = ''
}

const pasted = ref('')
const read = computed(() =>
  readRows(pasted.value, props.list, columns.value, rows.value, { most: props.most, fresh: props.fresh }),
)
const summary = computed(() =>
  [
    read.value.changed ? `${counted(read.value.changed, props.noun)} changed` : '',
    read.value.added ? `${counted(read.value.added, props.noun)} added` : '',
    replaces.value && rows.value.length && read.value.added ? `in place of ${counted(rows.value.length, props.noun)}` : '',
    read.value.refused.length ? `${counted(read.value.refused.length, 'cell')} refused` : '',
    read.value.unknown.length ? `not used: ${read.value.unknown.join(', ')}` : '',
  ]
    .filter(Boolean)
    .join('; '),
)
function take() {
  job.set(props.list, read.value.list)
  pasted.value = ''
}
</script>

<template>
  <FoldPart :name="`rows:${list}`" title="Several at once" says="set one field on many, paste from a spreadsheet">
    <form v-if="named && rows.length > 1" class="together" data-together @submit.prevent="setAll">
      <fieldset>
        <legend class="visually-hidden">Rows to set</legend>
        <TickBox
          v-for="r in rows"
          :key="String(r.id)"
          :label="String(r.id)"
          :checked="ticked.has(String(r.id))"
          @change="(on) => tick(String(r.id), on)"
        />
      </fieldset>
      <PickField
        v-model="field"
        class="wide"
        label="Field to set"
        placeholder="Field"
        :choices="several.map((c) => [c.field, c.word])"
      />
      <PickField
        v-if="column?.kind === 'choice'"
        v-model="text"
        label="Value to set"
        :choices="column.choices.map((c) => [String(c.value), c.word])"
      />
      <PlainInput v-else v-model="text" class="value" aria-label="Value to set" :disabled="!column" autocomplete="off">
        <template v-if="column?.unit" #suffix>{{ shownUnit(column.unit) }}</template>
      </PlainInput>
      <button :disabled="!column || !!cell.why || !ticked.size">
        {{ text.trim() || !column ? 'Set' : 'Clear' }} on {{ ticked.size }}
      </button>
      <p v-if="cell.why" class="why" role="status">{{ cell.why }}</p>
    </form>
    <label class="paste">
      <span class="label">Rows of a spreadsheet; the first line names the columns</span>
      <PlainInput
        v-model="pasted"
        area
        :rows="3"
        :aria-label="`Rows to paste, ${noun}`"
        :placeholder="
          columns
            .slice(0, 4)
            .map((c) => c.word)
            .join('\t')
        "
      />
    </label>
    <details class="names">
      <summary class="soft small">Names of the columns</summary>
      <p class="small">
        {{ columns.map((c) => `${c.word}${c.unit ? ` [${c.unit}]` : ''}`).join(' · ') }}
      </p>
    </details>
    <div v-if="pasted.trim()" data-pasted>
      <p v-if="read.failure" class="why" role="alert">{{ read.failure }}</p>
      <template v-else>
        <p role="status">{{ summary || 'Nothing would change.' }}</p>
        <ul v-if="read.refused.length" class="small">
          <li v-for="(r, i) in read.refused.slice(0, 8)" :key="i">
            Row {{ r.row }}{{ r.column ? `, ${r.column}` : '' }}{{ r.text ? ` “${r.text}”` : '' }}: {{ r.why }}
          </li>
        </ul>
        <button :disabled="!read.changed && !read.added" @click="take">
          Take {{ read.refused.length ? 'the others' : 'them' }}
        </button>
      </template>
    </div>
  </FoldPart>
</template>

<style scoped>
.together {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 12px;
  margin-bottom: 16px;
}
fieldset {
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  width: 100%;
  max-height: 160px;
  overflow: auto;
  border: 0;
  margin: 0;
  padding: 0;
}
.value {
  width: 148px;
}
.paste {
  display: grid;
  gap: 4px;
  max-width: 760px;
}
.label {
  font-size: 13px;
  color: var(--soft);
}
.names {
  margin: 4px 0 8px;
}
</style>
