<script setup lang="ts">
import { computed } from 'vue'
import ChoiceField from '../ui/ChoiceField.vue'
import NumberField from '../ui/NumberField.vue'
import TextField from '../ui/TextField.vue'
import KeptInput from '../ui/KeptInput.vue'
import { useJob } from '../workspace/use-job'

const job = useJob()
const ZONES = (Intl as unknown as { supportedValuesOf(key: string): string[] }).supportedValuesOf('timeZone')
const sources = computed(() => (job.at('/site/sources') as string[] | undefined) ?? [])
const SOURCES: [string, string][] = [
  ['sun', 'Sun'],
  ['mains', 'Mains'],
  ['generator', 'Generator'],
]
function toggle(source: string) {
  const now = sources.value.includes(source) ? sources.value.filter((s) => s !== source) : [...sources.value, source]
  const order = SOURCES.map(([s]) => s).filter((s) => now.includes(s))
  job.set('/site/sources', order)
}
const has = (s: string) => sources.value.includes(s)
const ac = computed(() => job.plan.value?.limits?.ac)
</script>

<template>
  <h1>Site</h1>
  <p class="lede">The place, its AC system, what feeds it and what it must carry.</p>
  <fieldset data-pointer="/site">
    <legend>Place</legend>
    <div class="fields">
      <TextField path="/name" label="Job name" wide needed />
      <TextField path="/site/time_zone" label="Time zone" list="zones" />
      <NumberField path="/site/latitude" label="Latitude" unit="° north" />
      <NumberField path="/site/longitude" label="Longitude" unit="° east" />
      <NumberField path="/site/bank_ambient_c" label="Temperature at the bank" unit="°C" placeholder="not given" />
    </div>
    <datalist id="zones"><option v-for="z in ZONES" :key="z" :value="z" /></datalist>
  </fieldset>
  <fieldset data-pointer="/site/ac">
    <legend>AC system</legend>
    <div class="fields">
      <NumberField path="/site/ac/volts" label="Volts, phase to neutral" unit="V" placeholder="230" />
      <ChoiceField
        path="/site/ac/hz"
        label="Frequency"
        :choices="[
          [50, '50 Hz'],
          [60, '60 Hz'],
        ]"
        :fallback="50"
      />
      <ChoiceField
        path="/site/ac/topology"
        label="Phases"
        :choices="[
          ['single', 'One'],
          ['split', 'Split'],
          ['three', 'Three'],
        ]"
        fallback="single"
      />
    </div>
  </fieldset>
  <fieldset data-pointer="/site/sources">
    <legend>Sources</legend>
    <div class="ticks">
      <label v-for="[s, word] in SOURCES" :key="s" :class="s"
        ><input type="checkbox" :checked="has(s)" @change="toggle(s)" />{{ word }}</label
      >
    </div>
    <div v-if="has('mains')" class="fields source mains" data-pointer="/mains" tabindex="-1">
      <b>Mains</b>
      <NumberField path="/mains/breaker_a" label="Breaker, per phase" unit="A" />
      <ChoiceField
        path="/mains/supply"
        label="The grid is"
        fallback="grid"
        :choices="[
          ['grid', 'Steady'],
          ['weak-grid', 'Weak'],
        ]"
      />
      <NumberField path="/mains/loads_while_charging_w" label="Loads while it charges" unit="W" placeholder="continuous" />
    </div>
    <div v-if="has('generator')" class="fields source generator" data-pointer="/generator" tabindex="-1">
      <b>Generator</b>
      <NumberField path="/generator/continuous_w" label="Continuous" unit="W" />
      <NumberField path="/generator/derate" label="Left after heat and height" unit="%" :scale="100" placeholder="100" />
      <NumberField path="/generator/loads_while_charging_w" label="Loads while it charges" unit="W" placeholder="continuous" />
      <ChoiceField
        path="/generator/start"
        label="Start"
        :choices="[
          ['manual', 'By hand'],
          ['auto', 'By itself'],
        ]"
        fallback="manual"
      />
    </div>
    <p v-if="ac?.sources.length" class="soft budget">
      <template v-for="s in ac.sources" :key="s.source">
        The {{ s.source }} {{ s.source === 'mains' ? 'have' : 'has' }} {{ s.free_w }} W left for charging: {{ s.charge_a }} A into
        the bank (the short cut would say {{ s.shortcut_a }} A).
      </template>
    </p>
    <p v-if="has('generator')" class="caution-line">
      Exhaust kills: run it outdoors. Neutral bonding and transfer only as local code says.
    </p>
    <p v-if="has('mains')" class="caution-line">Export and islanding need the grid operator's permission.</p>
  </fieldset>
  <fieldset data-pointer="/loads">
    <legend>Loads</legend>
    <div class="fields">
      <NumberField path="/loads/continuous_w" label="Continuous" unit="W" placeholder="assumed" />
      <NumberField path="/loads/peak_w" label="Peak, for seconds" unit="W" />
      <NumberField path="/loads/daily_wh" label="Over a day" unit="Wh" />
      <NumberField path="/site/dc_loads_a" label="DC loads not metered" unit="A" placeholder="none" />
    </div>
    <p class="caution-line">Medical or safety loads need a supply that does not depend on one bank.</p>
  </fieldset>
  <fieldset>
    <legend>Notes</legend>
    <KeptInput
      area
      :pause="600"
      aria-label="Notes"
      data-pointer="/notes"
      rows="3"
      :value="(job.at('/notes') as string | undefined) ?? ''"
      @commit="(text) => job.set('/notes', text || undefined)"
    />
  </fieldset>
</template>

<style scoped>
.ticks {
  display: flex;
  gap: 8px 20px;
  flex-wrap: wrap;
  margin-bottom: 6px;
}
.ticks label {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  min-height: 40px;
  cursor: pointer;
}
.ticks input {
  min-height: 20px;
  width: 20px;
  height: 20px;
  accent-color: var(--copper);
}
.source {
  padding: 6px 0 10px 14px;
  border-left: 3px solid var(--mains);
  margin-bottom: 10px;
}
.source b {
  width: 90px;
  padding-top: 26px;
}
.source.generator {
  border-color: var(--gen);
}
.budget {
  margin: 4px 0;
}
.caution-line {
  color: var(--caution);
  font-size: 14px;
  margin-top: 6px;
}
textarea {
  width: 100%;
}
</style>
