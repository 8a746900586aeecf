<script setup lang="ts">
// How one person likes figures shown and typed. It goes with the person, to every device.
import { ElDialog, ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref } from 'vue'
import { api, ApiProblem } from '../api/client'
import PickField from './PickField.vue'
import TickBox from './TickBox.vue'
import { prefs, shownDate, spoken, type Prefs } from './prefs'

const open = defineModel<boolean>({ required: true })
const failure = ref('')
const ROWS: [keyof Prefs & string, string, [string, string][]][] = [
  ['temperature', 'Temperature', [['C', '°C'], ['F', '°F']]],
  ['length', 'Length', [['m', 'metres'], ['ft', 'feet']]],
  ['section', 'Copper', [['mm2', 'mm²'], ['awg', 'AWG']]],
  ['mark', 'Decimal sign', [['.', 'point: 55.2'], [',', 'comma: 55,2']]],
  ['date', 'Dates', [['iso', '2026-11-27'], ['dmy', '27.11.2026'], ['mdy', '11/27/2026']]],
] // prettier-ignore
async function keep(part: Partial<Prefs>) {
  prefs.value = { ...prefs.value, ...part }
  failure.value = ''
  try {
    await api.keepPreferences(prefs.value)
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failure.value = error.problems[0]
      ? `${error.problems[0].message}; right would be ${error.problems[0].expected}`
      : 'Kept on this device; the server did not take it now.'
  }
}
const example = computed(
  () => `${spoken(25, '°C')} · ${spoken(12.5, 'm')} · ${spoken(50, 'mm²')} · ${spoken(53.5, 'mm²')} · ${shownDate('2026-11-27')}`,
)
</script>

<template>
  <ElDialog v-model="open" title="Preferences" width="min(480px, 94vw)">
    <p class="soft">For your fields, on every device. Files, plans and papers stay in SI units.</p>
    <div class="rows">
      <div v-for="[key, word, choices] in ROWS" :key="key" class="row">
        <span aria-hidden="true">{{ word }}</span>
        <PickField
          :model-value="String(prefs[key])"
          :label="word"
          :choices="choices"
          @pick="(v) => keep({ [key]: v } as Partial<Prefs>)"
        />
      </div>
      <div class="row">
        <label for="pref-currency">Currency of new prices</label>
        <ElInput
          id="pref-currency"
          class="currency"
          :model-value="prefs.currency"
          maxlength="3"
          :validate-event="false"
          @change="(v: string) => keep({ currency: v.trim().toUpperCase() })"
        />
      </div>
    </div>
    <TickBox label="Single keys work as shortcuts" :checked="prefs.shortcuts" @change="(on) => keep({ shortcuts: on })" />
    <p role="status">So it looks: {{ example }}</p>
    <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  </ElDialog>
</template>

<style scoped>
.rows {
  display: grid;
  gap: 8px;
  margin: 8px 0;
}
.row {
  display: grid;
  grid-template-columns: 170px 1fr;
  align-items: center;
}
.currency {
  width: 90px;
}
.why {
  color: var(--stop);
}
</style>
