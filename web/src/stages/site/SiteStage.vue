<script setup lang="ts">
import TickBox from '../../ui/TickBox.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed } from 'vue'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import KeptInput from '../../ui/KeptInput.vue'
import { useJob } from '../../job/use-job'

const job = useJob()
// The zones this browser knows; one that a job names besides is kept among them.
const KNOWN = (Intl as unknown as { supportedValuesOf(key: string): string[] }).supportedValuesOf('timeZone')
const ZONES = computed(() => {
  const held = (job.at('/site/time_zone') as string | undefined) ?? 'UTC'
  return [...new Set([...KNOWN, 'UTC', held])].sort().map((z) => [z, z.replace(/_/g, ' ')] as const)
})
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
      <TextField path="/name" wide needed />
      <ChoiceField path="/site/time_zone" select class="zone" :choices="ZONES" />
      <NumberField path="/site/latitude" />
      <NumberField path="/site/longitude" />
      <NumberField path="/site/bank_ambient_c" />
    </div>
  </fieldset>
  <fieldset data-pointer="/site/ac">
    <legend>AC system</legend>
    <div class="fields">
      <NumberField path="/site/ac/volts" />
      <ChoiceField path="/site/ac/hz" />
      <ChoiceField path="/site/ac/topology" />
    </div>
  </fieldset>
  <fieldset data-pointer="/site/sources">
    <legend>Sources</legend>
    <div class="ticks">
      <TickBox v-for="[s, word] in SOURCES" :key="s" :label="word" :checked="has(s)" @change="toggle(s)" />
    </div>
    <div v-if="has('mains')" class="fields source mains" data-pointer="/mains" tabindex="-1">
      <b>Mains</b>
      <NumberField path="/mains/breaker_a" />
      <ChoiceField path="/mains/supply" />
      <NumberField path="/mains/loads_while_charging_w" />
    </div>
    <div v-if="has('generator')" class="fields source generator" data-pointer="/generator" tabindex="-1">
      <b>Generator</b>
      <NumberField path="/generator/continuous_w" />
      <NumberField path="/generator/derate" />
      <NumberField path="/generator/loads_while_charging_w" />
      <ChoiceField path="/generator/start" />
    </div>
    <p v-if="ac?.sources.length" class="soft budget">
      <template v-for="s in ac.sources" :key="s.source">
        The {{ s.source }} {{ s.source === 'mains' ? 'have' : 'has' }} {{ s.free_w }} W left for charging: {{ s.charge_a }} A into
        the bank (the short cut would say {{ s.shortcut_a }} A).
      </template>
    </p>
    <CautionLine v-if="has('generator')">
      Exhaust kills: run it outdoors. Neutral bonding and transfer only as local code says.
    </CautionLine>
    <CautionLine v-if="has('mains')">Export and islanding need the grid operator's permission.</CautionLine>
  </fieldset>
  <fieldset data-pointer="/loads">
    <legend>Loads</legend>
    <div class="fields">
      <NumberField path="/loads/continuous_w" />
      <NumberField path="/loads/peak_w" />
      <NumberField path="/loads/daily_wh" />
      <NumberField path="/site/dc_loads_a" />
    </div>
    <CautionLine>Medical or safety loads need a supply that does not depend on one bank.</CautionLine>
  </fieldset>
  <fieldset>
    <legend>Notes</legend>
    <KeptInput
      area
      :pause="600"
      aria-label="Notes"
      data-pointer="/notes"
      :value="(job.at('/notes') as string | undefined) ?? ''"
      @commit="(text) => job.set('/notes', text || undefined)"
    />
  </fieldset>
</template>

<style scoped>
.zone :deep(.pick) {
  width: 212px;
}
.ticks {
  display: flex;
  gap: 8px 20px;
  flex-wrap: wrap;
  margin-bottom: 6px;
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
</style>
