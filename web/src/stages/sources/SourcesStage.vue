<script setup lang="ts">
import { vStack } from '../../ui/stack'
import CautionLine from '../../ui/CautionLine.vue'
import { computed } from 'vue'
import type { Gentlest } from '../../api/client'
import { useLibrary } from '../../library/use-library'
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { preferred } from '../../ui/prefs'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { percent, tidy } from '../../ui/figures'
import WorkBar from '../../ui/WorkBar.vue'
import { useWork } from '../../api/use-work'
import { useJob } from '../../job/use-job'

const job = useJob()
const sources = computed(() => job.plan.value?.sources)
const mode = computed(() => (job.at('/policy/mode') as string | undefined) ?? 'off-grid')
const sells = computed(() => mode.value === 'feed-in' || (mode.value !== 'off-grid' && job.at('/policy/sell_surplus') === true))
const { nameOf } = useLibrary()
const generator = computed(() => sources.value?.generator)
const has = (s: string) => ((job.at('/site/sources') as string[] | undefined) ?? []).includes(s)
const gentlest = useWork<Gentlest>(() => job.document.value)
const g = computed(() => gentlest.result.value)
const curve = computed(() => {
  const points = g.value?.curve ?? []
  const most = Math.max(1, ...points.map((p) => p.a))
  return { most, path: 'M' + points.map((p) => `${40 + (640 * p.a) / most} ${120 - 110 * p.share}`).join('L') }
})
const windowSays = computed(() => {
  const w = sources.value?.ac_window
  return w ? preferred(`${w.range}, ${w.low_off_v} to ${w.high_off_v} V`) : ''
})
const generatorSays = computed(() => {
  const made = generator.value
  return made ? preferred(`${tidy(made.available_w, 0)} W, charges with ${tidy(made.safe_charge_a, 0)} A at most`) : ''
})
const hours = computed(() => (g.value?.full_by_hour ?? []).map((share, h) => `by ${h} ${percent(share)}`).join('; '))
</script>

<template>
  <StageHead stage="sources" />
  <section class="few">
    <div class="fields">
      <ChoiceField path="/policy/mode" select class="mode" />
      <ChoiceField v-if="mode !== 'off-grid' && mode !== 'peak-shaving'" path="/policy/priority" />
      <ChoiceField v-if="mode !== 'off-grid' && mode !== 'feed-in'" path="/policy/sell_surplus" boolean />
      <NumberField v-if="mode === 'peak-shaving'" path="/policy/peak_cap_w" />
      <NumberField v-if="sells" path="/policy/export_limit_w" />
      <NumberField v-if="mode !== 'off-grid'" path="/policy/outage_reserve_soc" />
    </div>
    <div class="fields second">
      <ChoiceField path="/policy/source_order" />
      <ChoiceField path="/policy/charge_order" />
    </div>
    <CautionLine v-if="sells">
      Export and islanding need the grid operator's permission; local code and licensed practice decide.
    </CautionLine>
  </section>
  <section v-if="sources?.orders.length" class="few">
    <h2>As the units call it</h2>
    <table v-stack>
      <tbody>
        <tr v-for="o in sources.orders" :key="o.profile + o.quantity">
          <td>{{ nameOf(o.profile) }}</td>
          <td>{{ o.label }}</td>
          <td>
            <b v-if="o.entry">{{ o.entry }}</b><span v-else class="bad">not offered; it has {{ o.offers.join(', ') }}</span>
          </td>
          <td class="small soft">{{ o.idle.length ? `then without effect: ${o.idle.map((i) => `“${i}”`).join(', ')}` : '' }}</td>
        </tr>
      </tbody>
    </table>
  </section>
  <FoldPart v-if="sources?.ac_window" name="sources:window" title="AC input window" :says="windowSays">
    <div class="scroll" tabindex="0" role="region" aria-label="Drawing of the AC input window">
      <svg
        viewBox="0 0 700 74"
        class="ac"
        role="img"
        :aria-label="`AC input: disconnects below ${sources.ac_window.low_off_v} V, reconnects above ${sources.ac_window.low_on_v} V, reconnects below ${sources.ac_window.high_on_v} V, disconnects above ${sources.ac_window.high_off_v} V`"
      >
        <rect x="20" y="26" width="660" height="16" class="out" />
        <rect x="140" y="26" width="420" height="16" class="back" />
        <rect x="200" y="26" width="300" height="16" class="in" />
        <g
          v-for="([word, v, at], i) in [
            ['disconnects', sources.ac_window.low_off_v, 140],
            ['reconnects', sources.ac_window.low_on_v, 200],
            ['nominal', sources.ac_window.nominal_v, 350],
            ['reconnects', sources.ac_window.high_on_v, 500],
            ['disconnects', sources.ac_window.high_off_v, 560],
          ] as [string, number, number][]"
          :key="i"
        >
          <path :d="`M${at} 20v28`" class="tick" />
          <text :x="at" y="14" text-anchor="middle" class="v">{{ tidy(v, 1) }} V</text>
          <text :x="at" y="64" text-anchor="middle" class="w">{{ word }}</text>
        </g>
      </svg>
    </div>
    <p class="small soft">
      {{
        sources.ac_window.range === 'narrow'
          ? 'Narrow, for electronics on a steady grid.'
          : 'Wide, because what feeds the input strays.'
      }}
      The same frequency on all units; neutral and earth bonded only as local code says.
    </p>
  </FoldPart>
  <FoldPart v-if="has('generator')" name="sources:generator" title="Generator" :says="generatorSays" pointer="/generator">
    <div class="fields">
      <NumberField path="/generator/continuous_w" />
      <NumberField path="/generator/derate" />
      <NumberField path="/site/altitude_m" />
      <NumberField path="/generator/loads_while_charging_w" />
      <ChoiceField path="/generator/start" />
      <TextField path="/generator/quiet_from" class="time" />
      <TextField path="/generator/quiet_to" class="time" />
      <NumberField path="/generator/min_run_min" />
      <NumberField path="/generator/warm_up_min" />
    </div>
    <template v-if="generator">
      <div class="figures">
        <div>
          <b>{{ tidy(generator.available_w, 0) }} W</b><span>gives, {{ percent(generator.derate) }} of its rating</span>
        </div>
        <div>
          <b>{{ tidy(generator.safe_charge_a, 0) }} A</b
          ><span>safe charge beside {{ tidy(generator.loads_w, 0) }} W of loads</span>
        </div>
        <div>
          <b>{{ percent(generator.loaded) }}</b><span>loaded while charging; {{ percent(generator.least_loaded) }} at least</span>
        </div>
        <div v-if="generator.quiet_h">
          <b>{{ tidy(generator.quiet_needs_wh / 1000, 1) }} of {{ tidy(generator.quiet_has_wh / 1000, 1) }} kWh</b
          ><span>needed through {{ tidy(generator.quiet_h, 1) }} quiet hours</span>
        </div>
      </div>
      <ul class="recipe">
        <li v-for="r in generator.recipe" :key="r">{{ r }}</li>
        <li>
          Ramp test: charge at {{ generator.ramp_a.map((a) => `${a} A`).join(', ') }}; {{ tidy(generator.ramp_min, 0) }} min each;
          listen, watch its hertz, stop where it sags.
        </li>
      </ul>
      <CautionLine>Exhaust kills: run it outdoors. Neutral bonding and transfer only as local code says.</CautionLine>
    </template>
  </FoldPart>
  <FoldPart name="sources:gentlest" title="Gentlest charging that still suffices" says="tried on a year">
    <p class="soft">
      Gentle charging cools and lasts, but the day must suffice. The lowest cap on the bank that still reaches full on four days
      of five, tried on a year.
    </p>
    <WorkBar
      :work="gentlest"
      label="Find it"
      @start="gentlest.start({ kind: 'gentlest', document: job.document.value, days: 365 })"
    />
    <div v-if="g" data-gentlest>
      <p>
        <b>{{ g.enough ? `${tidy(g.a, 0)} A, ${g.c_rate} C` : `Not even ${tidy(g.plan_a, 0)} A is enough` }}</b>: full on
        {{ percent(g.share) }} of days.
        <button v-if="g.enough" @click="job.set('/policy/max_c_rate', Math.max(0.01, g.c_rate))">
          Take it as the chosen rate
        </button>
      </p>
      <p class="small soft">Days that reach full, by the cap on the bank</p>
      <svg
        viewBox="0 0 700 146"
        class="ac"
        role="img"
        :aria-label="g.curve.map((p) => `${p.a} A ${percent(p.share)}`).join('; ')"
      >
        <path :d="`M40 ${120 - 110 * g.wanted}H690`" class="goal" />
        <path :d="curve.path" class="curve" />
        <path d="M40 10V120H690" class="axis" />
        <text x="2" y="16" class="w">100 %</text>
        <text x="14" y="122" class="w">0 %</text>
        <text
          v-for="p in g.curve.filter((_, i) => i % 2 === 1)"
          :key="p.a"
          :x="40 + (640 * p.a) / curve.most"
          y="138"
          text-anchor="middle"
          class="w"
        >
          {{ p.a }} A
        </text>
      </svg>
      <p class="small soft">Days full by each hour, at that cap</p>
      <svg viewBox="0 0 700 126" class="ac" role="img" :aria-label="hours" data-full-by-hour>
        <rect
          v-for="(share, h) in g.full_by_hour"
          :key="h"
          :x="42 + h * 26"
          :y="100 - 90 * share"
          width="22"
          :height="90 * share"
          class="hour"
        >
          <title>full by {{ h }}:00 on {{ percent(share) }} of days</title>
        </rect>
        <path d="M40 10V100H690" class="axis" />
        <text x="2" y="16" class="w">100 %</text>
        <text x="14" y="102" class="w">0 %</text>
        <text v-for="h in [0, 6, 9, 12, 15, 18, 24]" :key="h" :x="53 + h * 26" y="118" text-anchor="middle" class="w">
          {{ h }}
        </text>
      </svg>
      <p class="small soft">
        Full by noon on {{ percent(g.full_by_hour[12]) }}, by three on {{ percent(g.full_by_hour[15]) }}, by six on
        {{ percent(g.full_by_hour[18]) }} of days.
      </p>
    </div>
  </FoldPart>
</template>

<style scoped>
.mode :deep(.pick) {
  width: min(380px, 100%);
}
.second {
  margin-top: 12px;
}
.ac {
  width: 100%;
  min-width: 520px;
  max-width: 720px;
  display: block;
}
.out {
  fill: var(--stop-wash);
  stroke: var(--rule);
}
.back {
  fill: color-mix(in srgb, var(--mains) 25%, var(--sheet));
}
.in {
  fill: color-mix(in srgb, var(--mains) 60%, var(--sheet));
}
.tick,
.axis {
  stroke: var(--soft);
  fill: none;
}
.v {
  font-size: 14px;
  font-weight: 650;
}
.w {
  font-size: 12.5px;
  fill: var(--soft);
}
.curve {
  fill: none;
  stroke: var(--bank);
  stroke-width: 2.5;
}
.hour {
  fill: color-mix(in srgb, var(--bank) 60%, var(--sheet));
}
.goal {
  stroke: var(--copper);
  stroke-dasharray: 6 4;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 26px;
  margin: 10px 0;
}
.figures div {
  display: grid;
}
.figures b {
  font-size: 18px;
}
.figures span {
  color: var(--soft);
  font-size: 13px;
}
.time :deep(input) {
  width: 84px;
}
.recipe {
  margin: 6px 0;
}
.bad {
  color: var(--stop);
}
</style>
