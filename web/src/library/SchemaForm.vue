<script setup lang="ts">
// A form made from a JSON Schema: fields, lists of parts, maps. What is wrong stands beside the field it is about.
import { computed, ref } from 'vue'
import type { ProblemOut } from '../api/client'
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import KeptInput from '../ui/KeptInput.vue'
import NumberInput from '../ui/NumberInput.vue'
import PickField from '../ui/PickField.vue'
import TickBox from '../ui/TickBox.vue'
import { blank, fieldsOf, kindOf, listOf, listText, resolve, wordOf, type Node } from './schema-form'

const props = defineProps<{
  root: Node
  node: Node
  value: Record<string, unknown>
  pointer: string
  problems: ProblemOut[]
  locked?: string[]
  frozen?: boolean
}>()
const emit = defineEmits<{ set: [pointer: string, value: unknown] }>()
const fields = computed(() => fieldsOf(props.root, props.node).filter(([k]) => k !== 'ewerer' && k !== 'revision'))
const of = (kinds: string[]) => fields.value.filter(([, n]) => kinds.includes(kindOf(props.root, n)))
const simple = computed(() => of(['text', 'number', 'switch', 'choice', 'lines']))
const parts = computed(() => of(['object']))
const maps = computed(() => of(['map']))
const lists = computed(() => of(['list']))
const at = (key: string) => `${props.pointer}/${key}`
const id = (key: string) => 'p' + at(key).replace(/[^A-Za-z0-9]+/g, '-')
const problemOf = (pointer: string) => props.problems.find((p) => p.pointer === pointer)
const hint = (n: Node) => String(resolve(props.root, n).description ?? '')
const enums = (n: Node) => (resolve(props.root, n).enum as (string | number)[]) ?? []
const chosen = (key: string, n: Node) => {
  const held = props.value?.[key] ?? resolve(props.root, n).default
  return typeof held === 'string' || typeof held === 'number' ? held : undefined
}
const needed = (key: string) => ((resolve(props.root, props.node).required as string[] | undefined) ?? []).includes(key)
const open = ref<Record<string, number | null>>({})
const rows = (key: string) => (props.value?.[key] as Record<string, unknown>[] | undefined) ?? []
const title = (row: Record<string, unknown>, i: number) =>
  String(row?.id ?? row?.name ?? row?.version ?? row?.rule ?? row?.temp_c ?? i + 1) + (row?.label ? ` · ${row.label}` : '')
function add(key: string, n: Node) {
  const items = (resolve(props.root, n).items as Node) ?? {}
  emit('set', at(key), [...rows(key), blank(props.root, items)])
  open.value[key] = rows(key).length
}
const drop = (key: string, i: number) =>
  emit(
    'set',
    at(key),
    rows(key).filter((_, k) => k !== i),
  )
function move(key: string, i: number, by: number) {
  const next = [...rows(key)]
  const [one] = next.splice(i, 1)
  if (one) next.splice(i + by, 0, one)
  open.value[key] = i + by
  emit('set', at(key), next)
}
const wrongIn = (pointer: string) =>
  props.problems.filter((p) => p.pointer === pointer || p.pointer.startsWith(pointer + '/')).length
const mapText = (key: string) =>
  Object.entries((props.value?.[key] as Record<string, unknown> | undefined) ?? {})
    .map(([k, v]) => `${k} = ${v}`)
    .join('\n')
function setMap(key: string, n: Node, text: string) {
  const schema = resolve(props.root, n)
  const values = (schema.additionalProperties ??
    Object.values((schema.patternProperties as Record<string, Node>) ?? {})[0] ??
    {}) as Node
  const numeric = resolve(props.root, values).type === 'number'
  const entries = text
    .split('\n')
    .map((l) => l.split(/\s*=\s*/))
    .filter((p) => p[0]?.trim())
    .map(([k, v]) => [k?.trim(), numeric && v && !Number.isNaN(Number(v)) ? Number(v) : (v ?? '').trim()])
  emit('set', at(key), entries.length ? Object.fromEntries(entries) : undefined)
}
</script>

<template>
  <div class="form">
    <div class="fields">
      <div v-for="[key, n] in simple" :key="key" class="field" :class="{ bad: problemOf(at(key)) }">
        <label :for="id(key)" :title="hint(n)">{{ wordOf(key) }}<span v-if="needed(key)" aria-hidden="true"> *</span></label>
        <PickField
          v-if="kindOf(root, n) === 'choice'"
          :id="id(key)"
          :label="wordOf(key)"
          :disabled="frozen"
          :model-value="chosen(key, n)"
          :choices="enums(n).map((e) => [e, String(e)] as const)"
          @pick="(v) => emit('set', at(key), v)"
        />
        <TickBox
          v-else-if="kindOf(root, n) === 'switch'"
          :id="id(key)"
          :label="wordOf(key)"
          bare
          :disabled="frozen"
          :checked="Boolean(value?.[key] ?? resolve(root, n).default)"
          @change="(on) => emit('set', at(key), on)"
        />
        <NumberInput
          v-else-if="kindOf(root, n) === 'number'"
          :id="id(key)"
          class="short"
          :value="value?.[key]"
          :placeholder="resolve(root, n).default == null ? '' : String(resolve(root, n).default)"
          :disabled="frozen || locked?.includes(key)"
          @set="(v) => emit('set', at(key), v)"
        />
        <KeptInput
          v-else-if="kindOf(root, n) === 'lines'"
          :id="id(key)"
          :disabled="frozen"
          :value="listText(value?.[key], key === 'menu' ? ' > ' : ', ')"
          @commit="(text) => emit('set', at(key), listOf(text, root, (resolve(root, n).items as Node) ?? {}))"
        />
        <ElInput
          v-else
          :id="id(key)"
          :model-value="String(value?.[key] ?? '')"
          :disabled="frozen || locked?.includes(key)"
          :validate-event="false"
          @input="(text) => emit('set', at(key), text || (needed(key) ? '' : undefined))"
        />
        <span v-if="problemOf(at(key))" class="why" role="alert"
          >{{ problemOf(at(key))?.message }}; right would be {{ problemOf(at(key))?.expected }}</span
        >
      </div>
    </div>
    <div v-for="[key, n] in maps" :key="key" class="field map">
      <label :for="id(key)">{{ wordOf(key) }} <span class="soft small">one a line: name = value</span></label>
      <KeptInput :id="id(key)" area :disabled="frozen" :rows="3" :value="mapText(key)" @commit="(text) => setMap(key, n, text)" />
      <span v-for="p in problems.filter((x) => x.pointer.startsWith(at(key)))" :key="p.pointer" class="why" role="alert"
        >{{ p.message }}; right would be {{ p.expected }}</span
      >
    </div>
    <details v-for="[key, n] in parts" :key="key" :open="needed(key) || value?.[key] !== undefined">
      <summary>
        {{ wordOf(key) }} <span v-if="wrongIn(at(key))" class="why">{{ wrongIn(at(key)) }} to mend</span>
      </summary>
      <SchemaForm
        v-if="value?.[key]"
        :root="root"
        :node="n"
        :value="value[key] as Record<string, unknown>"
        :pointer="at(key)"
        :problems="problems"
        :frozen="frozen"
        @set="(p, v) => emit('set', p, v)"
      />
      <button v-else-if="!frozen" @click="emit('set', at(key), blank(root, n))">Add {{ wordOf(key).toLowerCase() }}</button>
    </details>
    <fieldset v-for="[key, n] in lists" :key="key">
      <legend>
        {{ wordOf(key) }} <span class="soft">{{ rows(key).length }}</span>
        <span v-if="wrongIn(at(key))" class="why">{{ wrongIn(at(key)) }} to mend</span>
      </legend>
      <ul class="rows">
        <li v-for="(row, i) in rows(key)" :key="i">
          <button class="plain" :aria-expanded="open[key] === i" @click="open[key] = open[key] === i ? null : i">
            {{ title(row, i) }}
            <span v-if="wrongIn(`${at(key)}/${i}`)" class="why">{{ wrongIn(`${at(key)}/${i}`) }} to mend</span>
          </button>
          <template v-if="open[key] === i">
            <SchemaForm
              :root="root"
              :node="(resolve(root, n).items as Node) ?? {}"
              :value="row"
              :pointer="`${at(key)}/${i}`"
              :problems="problems"
              :frozen="frozen"
              @set="(p, v) => emit('set', p, v)"
            />
            <p v-for="p in problems.filter((x) => x.pointer === `${at(key)}/${i}`)" :key="p.message" class="why" role="alert">
              {{ p.message }}
            </p>
            <button v-if="!frozen" class="plain" :disabled="i === 0" @click="move(key, i, -1)">Up</button>
            <button v-if="!frozen" class="plain" :disabled="i === rows(key).length - 1" @click="move(key, i, 1)">Down</button>
            <button v-if="!frozen" class="plain" @click="drop(key, i)">Remove</button>
          </template>
        </li>
      </ul>
      <button v-if="!frozen" @click="add(key, n)">Add to {{ wordOf(key).toLowerCase() }}</button>
    </fieldset>
  </div>
</template>

<style scoped>
.form {
  padding: 4px 0 8px;
}
.field {
  display: grid;
  gap: 2px;
  max-width: 320px;
}
.field.map {
  max-width: 520px;
  margin: 8px 0;
}
label {
  font-size: 13px;
  color: var(--soft);
}
.short {
  width: 130px;
}
.why {
  color: var(--stop);
  font-size: 13px;
}
details {
  border-top: 1px solid var(--rule);
  padding: 8px 0;
  margin-top: 8px;
}
summary {
  font-weight: 650;
  cursor: pointer;
  min-height: 32px;
}
fieldset {
  margin-top: 10px;
}
.rows {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.rows li {
  border-bottom: 1px solid var(--faint);
}
.rows li > .form {
  padding-left: 16px;
  border-left: 3px solid var(--copper);
}
</style>
