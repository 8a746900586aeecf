<script setup lang="ts">
// The crew's instruments: what each measures, how exact it is, when it is due for calibration.
import { vStack } from '../../ui/stack'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElDialog, ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { reactive, ref } from 'vue'
import { api, ApiProblem } from '../../api/client'
import { queries } from '../../api/queries'
import PickField from '../../ui/PickField.vue'
import { today } from '../../ui/figures'
import { readNumber } from '../../ui/numbers'
import { prefs } from '../../ui/prefs'
import type { Meter } from '../../record/types'

const open = defineModel<boolean>({ required: true })
const client = useQueryClient()
const list = useQuery(queries.instruments())
const KINDS: [string, string][] = [
  ['volts', 'Volts'],
  ['clamp', 'Amps, by clamp'],
  ['ohms', 'Ohms'],
  ['temperature', 'Temperature'],
  ['scope', 'Time and gaps'],
  ['', 'Anything'],
]
const made = reactive({ name: '', kind: 'volts', pct: '', digits: '', step: '', due: '' })
const wrong = ref('')
function take(m: Meter) {
  Object.assign(made, {
    name: m.name,
    kind: m.kind ?? '',
    pct: String(m.pct ?? ''),
    digits: String(m.digits ?? ''),
    step: String(m.step ?? ''),
    due: m.due ?? '',
  })
}
async function keep() {
  wrong.value = ''
  const figures: Record<string, number> = {}
  for (const name of ['pct', 'digits', 'step'] as const) {
    const said = readNumber(made[name], name === 'pct' ? '%' : '', { mark: prefs.value.mark })
    // An instrument's own error is a part of a percent more often than not.
    const value = name === 'pct' && said.ask ? said.ask[1] : said.value
    if (said.refused || (said.ask && value === undefined) || (value !== undefined && value < 0)) {
      wrong.value = `“${made[name]}” is no figure of an instrument`
      return
    }
    if (value !== undefined) figures[name] = value
  }
  try {
    const meter = { name: made.name.trim(), kind: made.kind, ...figures, ...(made.due ? { due: made.due } : {}) }
    await api.keepInstrument(meter)
    Object.assign(made, { name: '', pct: '', digits: '', step: '', due: '' })
    await client.invalidateQueries({ queryKey: ['instruments'] })
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    wrong.value = error.problems[0] ? `${error.problems[0].message}: ${error.problems[0].expected ?? ''}` : error.message
  }
}
async function drop(name: string) {
  await api.dropInstrument(name)
  await client.invalidateQueries({ queryKey: ['instruments'] })
}
</script>

<template>
  <ElDialog v-model="open" title="Instruments" width="min(720px, 96vw)">
    <p class="soft">
      A reading is worth what its meter is worth: the verdict allows for it, and says when the meter cannot tell.
    </p>
    <p v-if="list.isError.value" role="alert">
      The list cannot be read now. <button @click="() => list.refetch()">Try again</button>
    </p>
    <div class="scroll">
      <table v-if="list.data.value?.length" v-stack>
        <thead>
          <tr>
            <th>Instrument</th>
            <th>Measures</th>
            <th class="num">Accuracy</th>
            <th>Calibration due</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="m in list.data.value" :key="m.name">
            <td>{{ m.name }}</td>
            <td>{{ KINDS.find(([k]) => k === (m.kind ?? ''))?.[1] ?? m.kind }}</td>
            <td class="num">±{{ m.pct ?? 0 }} %{{ m.digits ? ` + ${m.digits} × ${m.step ?? 0}` : '' }}</td>
            <td :class="{ late: m.due && m.due < today() }">
              {{ m.due ?? '' }}{{ m.due && m.due < today() ? ', overdue' : '' }}
            </td>
            <td>
              <button class="plain" :aria-label="`Change ${m.name}`" @click="take(m as Meter)">Change</button>
              <button class="plain" :aria-label="`Remove ${m.name}`" @click="drop(m.name)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="list.isSuccess.value">No instrument yet.</p>
    </div>
    <form class="new" @submit.prevent="keep">
      <label>Name <ElInput v-model="made.name" maxlength="120" :validate-event="false" /></label>
      <span>Measures <PickField v-model="made.kind" label="Measures" :choices="KINDS" /></span>
      <label>± % of the reading <ElInput v-model="made.pct" inputmode="decimal" :validate-event="false" /></label>
      <label>+ digits <ElInput v-model="made.digits" inputmode="decimal" :validate-event="false" /></label>
      <label>One digit is <ElInput v-model="made.step" inputmode="decimal" placeholder="0.01" :validate-event="false" /></label>
      <label>Due <input v-model="made.due" type="date" /></label>
      <button class="first" :disabled="!made.name.trim()">Save</button>
    </form>
    <p v-if="wrong" class="late" role="alert">{{ wrong }}</p>
  </ElDialog>
</template>

<style scoped>
.new {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(150px, 100%), 1fr));
  gap: 10px;
  align-items: end;
  margin-top: 14px;
}
.new :deep(.pick) {
  width: 100%;
}
input[type='date'] {
  font: inherit;
  min-height: 40px;
  width: 100%;
  color: var(--ink);
  background: var(--raised);
  border: 1px solid var(--rule);
  border-radius: 3px;
}
.late {
  color: var(--stop);
  font-weight: 600;
}
</style>
