<script setup lang="ts">
import TickBox from '../../ui/TickBox.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed } from 'vue'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { preferred } from '../../ui/prefs'
import { counted } from '../../ui/words'
import FeedFigure from './FeedFigure.vue'
import HoursFigure from './HoursFigure.vue'
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
// Other feeds of the mains: inlets and cords, each with its own entries while it is in use.
const feeds = computed(() => (job.at('/mains/feeds') as { name: string; breaker_a: number }[] | undefined) ?? [])
const addFeed = () => job.set('/mains/feeds', [...feeds.value, { name: `Feed ${feeds.value.length + 2}`, breaker_a: 10 }])
const removeFeed = (i: number) => job.drop('/mains/feeds', i)
const budgetOf = (source: string) => {
  const s = ac.value?.sources.find((x) => x.source === source)
  return s ? preferred(`${s.free_w} W left for charging: ${s.charge_a} A into the bank`) : ''
}
const placeSays = computed(() => `${(job.at('/site/time_zone') as string | undefined) ?? 'UTC'}`.replace(/_/g, ' '))
const acSays = computed(() => {
  const { volts = 230, hz = 50 } = (job.at('/site/ac') as { volts?: number; hz?: number } | undefined) ?? {}
  return preferred(`${volts} V, ${hz} Hz`)
})
const mainsSays = computed(() => (feeds.value.length ? `${counted(feeds.value.length, 'other feed')}` : budgetOf('mains')))
function feedWords(name: string): string {
  const f = ac.value?.feeds.find((x) => x.name === name)
  return f ? `enter ${f.input_a} A at the input; ${f.charge_a} A into the bank` : ''
}
</script>

<template>
  <StageHead stage="site" />
  <FeedFigure />
  <section class="few" data-pointer="/site/sources" tabindex="-1">
    <h2>What feeds it</h2>
    <div class="ticks">
      <TickBox v-for="[s, word] in SOURCES" :key="s" :label="word" :checked="has(s)" @change="toggle(s)" />
    </div>
    <div class="fields">
      <NumberField v-if="has('mains')" path="/mains/breaker_a" label="Mains breaker, per phase" />
      <NumberField v-if="has('generator')" path="/generator/continuous_w" label="Generator, continuous" />
    </div>
    <CautionLine v-if="has('generator')">
      Exhaust kills: run it outdoors. Neutral bonding and transfer only as local code says.
    </CautionLine>
    <CautionLine v-if="has('mains')">Export and islanding need the grid operator's permission.</CautionLine>
  </section>
  <section class="few" data-pointer="/loads" tabindex="-1">
    <h2>What it must carry</h2>
    <div class="fields">
      <NumberField path="/loads/continuous_w" />
      <NumberField path="/loads/peak_w" />
      <NumberField path="/loads/daily_wh" />
    </div>
    <CautionLine>Medical or safety loads need a supply that does not depend on one bank.</CautionLine>
  </section>
  <FoldPart name="site:hours" title="Loads by the hour" :says="job.at('/loads/shape') ? 'given' : 'a usual day is assumed'">
    <HoursFigure />
  </FoldPart>
  <FoldPart name="site:place" title="Name, place and temperature" :says="placeSays" pointer="/site">
    <div class="fields">
      <TextField path="/name" wide needed />
      <ChoiceField path="/site/time_zone" select class="zone" :choices="ZONES" />
      <NumberField path="/site/latitude" />
      <NumberField path="/site/longitude" />
      <NumberField path="/site/bank_ambient_c" />
    </div>
  </FoldPart>
  <FoldPart name="site:ac" title="AC system" :says="acSays" pointer="/site/ac">
    <div class="fields">
      <NumberField path="/site/ac/volts" />
      <ChoiceField path="/site/ac/hz" />
      <ChoiceField path="/site/ac/topology" />
      <NumberField path="/site/dc_loads_a" />
    </div>
  </FoldPart>
  <FoldPart v-if="has('mains')" name="site:mains" title="Mains in detail" :says="mainsSays" pointer="/mains">
    <div class="fields">
      <ChoiceField path="/mains/breaker_school" />
      <NumberField v-if="job.at('/mains/breaker_school') === 'own'" path="/mains/breaker_part" />
      <ChoiceField path="/mains/supply" />
      <ChoiceField v-if="has('generator')" path="/mains/shares_input" flag />
      <NumberField path="/mains/loads_while_charging_w" />
    </div>
    <div class="feeds" data-pointer="/mains/feeds" tabindex="-1">
      <div v-for="(f, i) in feeds" :key="i" class="fields feed">
        <TextField :path="`/mains/feeds/${i}/name`" :label="`Name of feed ${i + 1}`" needed />
        <NumberField :path="`/mains/feeds/${i}/breaker_a`" />
        <button class="plain" :aria-label="`Remove ${f.name}`" @click="removeFeed(i)">Remove</button>
        <span class="soft said" :data-feed="i">{{ feedWords(f.name) }}</span>
      </div>
      <button :disabled="job.at('/mains/breaker_a') === undefined" @click="addFeed">Add a feed</button>
      <span class="soft small">An inlet, a shore cord, a long thin lead: each has its own entries while it is in use.</span>
    </div>
    <p class="soft budget">{{ budgetOf('mains') }}</p>
  </FoldPart>
  <FoldPart
    v-if="has('generator')"
    name="site:generator"
    title="Generator in detail"
    :says="budgetOf('generator')"
    pointer="/generator"
  >
    <div class="fields">
      <NumberField path="/generator/derate" />
      <NumberField path="/generator/loads_while_charging_w" />
      <ChoiceField path="/generator/start" />
    </div>
  </FoldPart>
  <FoldPart name="site:notes" title="Notes" :says="job.at('/notes') ? 'written' : 'none'">
    <KeptInput
      area
      :pause="600"
      aria-label="Notes"
      data-pointer="/notes"
      :value="(job.at('/notes') as string | undefined) ?? ''"
      @commit="(text) => job.set('/notes', text || undefined)"
    />
  </FoldPart>
</template>

<style scoped>
.zone :deep(.pick) {
  width: 212px;
}
.feeds {
  margin-top: 12px;
}
.feed {
  align-items: end;
  margin-bottom: 8px;
}
.feed .said {
  flex: 1 1 100%;
}
.feeds > button {
  margin-right: 10px;
}
.ticks {
  display: flex;
  gap: 0 20px;
  flex-wrap: wrap;
}
.budget {
  margin-top: 12px;
}
</style>
