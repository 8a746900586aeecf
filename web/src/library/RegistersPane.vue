<script setup lang="ts">
// Where a device's settings and measurements lie in its registers: row by row, or out of the maker's table, confirmed by a person.
import { computed, ref } from 'vue'
import { api, type RegisterTable } from '../api/client'
import { useGuarded } from '../ui/guarded'
import EmptyNote from '../ui/EmptyNote.vue'
import KeptInput from '../ui/KeptInput.vue'
import PickField from '../ui/PickField.vue'
import PlainInput from '../ui/PlainInput.vue'
import TickBox from '../ui/TickBox.vue'
import { readNumber } from '../ui/numbers'
import { vStack } from '../ui/stack'
import { counted } from '../ui/words'
import type { OpenProfile } from './use-profile'

interface Place {
  registers?: string
  at: number
  type?: string
  scale?: number
  enum?: Record<string, string>
  write?: boolean
}
interface Setting {
  id: string
  label: string
  menu: string[]
  register?: Place
}
interface Map {
  unit_id?: number
  bitrate?: number
  parity?: string
  most_registers?: number
  least_pause_ms?: number
  measurements?: { measure: string; register: Place }[]
}
const props = defineProps<{ profile: OpenProfile; frozen: boolean }>()
const map = computed(() => props.profile.at('/modbus') as Map | undefined)
const settings = computed(() => (props.profile.at('/settings') as Setting[] | undefined) ?? [])
const placed = computed(() => settings.value.filter((s) => s.register).length)
const TYPES = ['u16', 'i16', 'u32', 'i32', 'f32', 'string'].map((t) => [t, t] as const)
const { busy, failure, guarded } = useGuarded('It cannot be read now.')
function number(text: string, whole: boolean): number | undefined {
  const hex = /^0x([0-9a-f]{1,4})$/i.exec(text.trim())
  const value = hex ? parseInt(hex[1] as string, 16) : readNumber(text, '', { whole }).value
  failure.value = value === undefined && text.trim() ? `“${text}” is no ${whole ? 'whole number' : 'number'}.` : ''
  return value
}
function setMap(key: keyof Map, text: string) {
  const value = number(text, true)
  if (value !== undefined) props.profile.set(`/modbus/${key}`, value)
}
/** A setting's place, changed; without an address it has none. */
function put(i: number, change: Partial<Place>) {
  const held = settings.value[i]?.register
  const next = { ...(held ?? { at: 0 }), ...change }
  props.profile.setAll([...(map.value ? [] : ([['/modbus', {}]] as [string, unknown][])), [`/settings/${i}/register`, next]])
}
function address(i: number, text: string) {
  if (!text.trim()) return props.profile.set(`/settings/${i}/register`, undefined)
  const value = number(text, true)
  if (value !== undefined) put(i, { at: value })
}
const wordsOf = (p?: Place) =>
  Object.entries(p?.enum ?? {})
    .map(([k, w]) => `${k}: ${w}`)
    .join('; ')
function words(i: number, text: string) {
  const pairs = text
    .split(';')
    .map((part) => /^\s*(\d+)\s*[:=]\s*(.+?)\s*$/.exec(part))
    .filter((m) => m !== null)
  put(i, { enum: pairs.length ? Object.fromEntries(pairs.map((m) => [m[1], m[2]])) : undefined })
}

// The maker's table.
const pasted = ref('')
const table = ref<RegisterTable | null>(null)
const ticked = ref(new Set<number>())
const chosen = ref<Record<number, string>>({})
const readIt = () =>
  guarded(async () => {
    table.value = await api.readRegisters(props.profile.draft.value as never, pasted.value)
    ticked.value = new Set(table.value.rows.filter((r) => r.sure).map((r) => r.row))
    chosen.value = Object.fromEntries(table.value.rows.map((r) => [r.row, r.setting || (r.measure ? `= ${r.measure}` : '')]))
  })
const choices = computed(() => [
  ['', 'none of these'] as const,
  ...settings.value.map((s) => [s.id, `${s.label} (${s.menu.join(' › ')})`] as const),
])
function tick(row: number, on: boolean) {
  const next = new Set(ticked.value)
  if (on) next.add(row)
  else next.delete(row)
  ticked.value = next
}
function take() {
  const rows = (table.value?.rows ?? []).filter((r) => ticked.value.has(r.row) && chosen.value[r.row])
  const writes: [string, unknown][] = []
  const measured = new Map((map.value?.measurements ?? []).map((m) => [m.measure, m] as const))
  for (const r of rows) {
    const is = chosen.value[r.row] as string
    if (is.startsWith('= ')) measured.set(is.slice(2), { measure: is.slice(2), register: r.register as unknown as Place })
    else writes.push([`/settings/${settings.value.findIndex((s) => s.id === is)}/register`, r.register])
  }
  props.profile.setAll([
    ['/modbus', { ...map.value, ...(measured.size ? { measurements: [...measured.values()] } : {}) }],
    ...writes,
  ])
  table.value = null
  pasted.value = ''
}
</script>

<template>
  <p class="soft">
    Where its maker publishes registers, its settings are read over a cable in one press.
    {{ placed ? `${placed} of ${counted(settings.length, 'setting')} lie in registers.` : '' }}
  </p>
  <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  <div v-if="map" class="fields">
    <label>Unit id <KeptInput :value="String(map.unit_id ?? 1)" @commit="(t) => setMap('unit_id', t)" /></label>
    <label>Bit rate, serial <KeptInput :value="String(map.bitrate ?? 9600)" @commit="(t) => setMap('bitrate', t)" /></label>
    <label
      >Registers a request, at most
      <KeptInput :value="String(map.most_registers ?? 60)" @commit="(t) => setMap('most_registers', t)"
    /></label>
    <label
      >Pause between requests, ms
      <KeptInput :value="String(map.least_pause_ms ?? 20)" @commit="(t) => setMap('least_pause_ms', t)"
    /></label>
  </div>
  <template v-if="!frozen">
    <label class="paste"
      ><span>Table of registers: address, name, type, factor, access, values</span>
      <PlainInput v-model="pasted" area :rows="4" aria-label="Table of registers" placeholder="Address	Name	Type	Scale	Access	Values"
    /></label>
    <p><button :disabled="!pasted.trim() || busy" @click="readIt">Read the table</button></p>
    <template v-if="table">
      <table v-stack="['In the table']" data-registers>
        <thead>
          <tr>
            <th>Take</th>
            <th>In the table</th>
            <th>What it is</th>
            <th>Lies at</th>
            <th>Mind</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in table.rows" :key="r.row">
            <td><TickBox bare :label="`Take ${r.name}`" :checked="ticked.has(r.row)" @change="(on) => tick(r.row, on)" /></td>
            <td>{{ r.name }}</td>
            <td>
              <span v-if="r.measure">measurement</span>
              <PickField v-else v-model="chosen[r.row]" :label="`What ${r.name} is`" :choices="choices" />
            </td>
            <td>
              <code>{{ (r.register as unknown as Place).at }}</code> {{ (r.register as unknown as Place).type ?? 'u16' }}
              {{ (r.register as unknown as Place).scale ? `× ${(r.register as unknown as Place).scale}` : '' }}
            </td>
            <td class="small">{{ r.doubts.join('; ') }}</td>
          </tr>
        </tbody>
      </table>
      <p>
        <button class="first" :disabled="!ticked.size" @click="take">Take {{ ticked.size }} into the map</button>
        <button class="plain" @click="table = null">Not now</button>
      </p>
    </template>
  </template>
  <EmptyNote v-if="!settings.length" title="No menu yet">The menu comes first; then each setting gets its register.</EmptyNote>
  <table v-else v-stack="['Setting']" data-map>
    <thead>
      <tr>
        <th>Setting</th>
        <th>Address</th>
        <th>Stored as</th>
        <th>Factor</th>
        <th>Words by number</th>
        <th>May be written</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="(s, i) in settings" :key="s.id">
        <td>
          {{ s.label }} <span class="soft small">{{ s.menu.join(' › ') }}</span>
        </td>
        <template v-if="frozen">
          <td>{{ s.register?.at ?? '' }}</td>
          <td>{{ s.register ? (s.register.type ?? 'u16') : '' }}</td>
          <td>{{ s.register?.scale ?? '' }}</td>
          <td class="small">{{ wordsOf(s.register) }}</td>
          <td>{{ s.register?.write ? 'yes' : '' }}</td>
        </template>
        <template v-else>
          <td class="short">
            <KeptInput
              :value="String(s.register?.at ?? '')"
              :aria-label="`Address of ${s.label}`"
              @commit="(t) => address(i, t)"
            />
          </td>
          <td>
            <PickField
              v-if="s.register"
              :model-value="s.register.type ?? 'u16'"
              :label="`How ${s.label} is stored`"
              :choices="TYPES"
              @pick="(v) => put(i, { type: v === 'u16' ? undefined : String(v) })"
            />
          </td>
          <td class="short">
            <KeptInput
              v-if="s.register"
              :value="String(s.register.scale ?? 1)"
              :aria-label="`Factor of ${s.label}`"
              @commit="(t) => put(i, { scale: number(t, false) })"
            />
          </td>
          <td>
            <KeptInput
              v-if="s.register"
              :value="wordsOf(s.register)"
              :aria-label="`Words of ${s.label}`"
              placeholder="0: Off; 1: On"
              @commit="(t) => words(i, t)"
            />
          </td>
          <td>
            <TickBox
              v-if="s.register"
              bare
              :label="`${s.label} may be written`"
              :checked="!!s.register.write"
              @change="(on) => put(i, { write: on || undefined })"
            />
          </td>
        </template>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.paste {
  display: grid;
  gap: 4px;
  max-width: 760px;
  font-size: 13px;
  color: var(--soft);
}
.fields label {
  display: grid;
  gap: 4px;
  font-size: 13px;
  color: var(--soft);
}
.short {
  width: 110px;
}
</style>
