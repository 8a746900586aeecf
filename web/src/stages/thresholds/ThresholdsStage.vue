<script setup lang="ts">
import EmptyNote from '../../ui/EmptyNote.vue'
import { computed, ref, watch } from 'vue'
import type { Derived, Rung } from '../../api/client'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import { tidy } from '../../ui/figures'
import { useJob } from '../../job/use-job'
import WhyPanel from '../../workspace/WhyPanel.vue'
import LadderFigure from './LadderFigure.vue'

const job = useJob()
const plan = computed(() => job.plan.value)
const view = computed(() => plan.value?.ladder_view)
const rungs = (kind: string) => Object.entries(plan.value?.ladder ?? {}).filter(([, r]) => r.kind === kind) as [string, Rung][]
const volts = computed(() => rungs('volts'))
const soc = computed(() => rungs('soc'))
const ghosts = (kind: string) =>
  Object.entries(plan.value?.found ?? {}).flatMap(([unit, values]) =>
    values.flatMap((f) =>
      f.quantity && typeof f.value === 'number' && plan.value?.ladder[f.quantity]?.kind === kind && f.same === false
        ? [{ name: f.quantity, value: f.value, who: `${unit} ${f.label}` }]
        : [],
    ),
  )
const chosen = ref<string | null>(null)
watch(
  volts,
  (now) => {
    if (!chosen.value && now.length) chosen.value = now.some(([n]) => n === 'shutdown_v') ? 'shutdown_v' : (now[0]?.[0] ?? null)
  },
  { immediate: true },
)
const rung = computed(() => (chosen.value ? plan.value?.ladder[chosen.value] : undefined))
const derived = computed(() => (chosen.value ? plan.value?.quantities[chosen.value] : undefined))
const show = (r: Rung, v: number) => (r.kind === 'soc' ? `${tidy(v * 100, 1)} %` : `${tidy(v, 2)} V`)
const title = computed(() => {
  if (rung.value) return `Why ${rung.value.word} is ${show(rung.value, rung.value.value)}`
  if (derived.value) return `Why ${derived.value.word} is ${said(derived.value.value, derived.value)}`
  return ''
})
const said = (v: unknown, d: Derived) =>
  v === true
    ? 'on'
    : v === false
      ? 'off'
      : typeof v === 'number'
        ? d.clock
          ? `${String(Math.floor(v / 60)).padStart(2, '0')}:${String(v % 60).padStart(2, '0')}`
          : `${tidy(d.percent ? v * 100 : v, 1)} ${d.unit}`.trim()
        : (d.choices.find((c) => c.value === v)?.word ?? String(v))
const own = (name: string) => `/policy/own_figures/${name}`
const rows = computed(() => Object.entries(plan.value?.quantities ?? {}).filter(([, d]) => !d.rare))
const rare = computed(() => Object.entries(plan.value?.quantities ?? {}).filter(([, d]) => d.rare))
// Folded until somebody looks for one of them, or has chosen one for themselves.
const unfolded = ref(false)
watch([chosen, rare], () => {
  if (rare.value.some(([name, d]) => name === chosen.value || d.wished !== null)) unfolded.value = true
})
const topology = computed(() => plan.value?.bank)
</script>

<template>
  <h1>Thresholds</h1>
  <p v-if="topology && view" class="lede">
    {{ topology.series_cells }} cells in series, {{ topology.modules.length }}
    {{ topology.modules.length === 1 ? 'module' : 'modules' }}, {{ tidy(topology.path_mohm, 1) }} mΩ to the units at
    {{ tidy(view.design_load_a, 0) }} A design load. Decided by
    {{ view.decide_by === 'soc' ? 'charge %, volts stand behind' : 'volts' }}.
  </p>
  <div class="choices">
    <ChoiceField path="/policy/charge_school" />
    <NumberField path="/policy/charge_cell_v" placeholder="3.50, 3.60 …" />
    <ChoiceField path="/policy/float_school" />
    <ChoiceField path="/policy/low_end_school" />
    <ChoiceField path="/policy/control" />
  </div>
  <template v-if="view?.feasible && topology">
    <div class="ladders" :class="{ two: soc.length }">
      <LadderFigure
        :rungs="volts"
        :view="view"
        kind="volts"
        :ghosts="ghosts('volts')"
        :cells="topology.series_cells"
        :chosen="chosen"
        @choose="(n) => (chosen = n)"
        @move="(n, v) => job.set(own(n), v)"
        @reset="(n) => job.set(own(n), undefined)"
      />
      <LadderFigure
        v-if="soc.length"
        :rungs="soc"
        :view="view"
        kind="soc"
        :ghosts="ghosts('soc')"
        :cells="topology.series_cells"
        :chosen="chosen"
        @choose="(n) => (chosen = n)"
        @move="(n, v) => job.set(own(n), v)"
        @reset="(n) => job.set(own(n), undefined)"
      />
    </div>
    <p v-if="ghosts('volts').length + ghosts('soc').length" class="soft small">Dashed rings: as found, where it differs.</p>
    <WhyPanel
      v-if="rung && chosen"
      :title="title"
      :reasons="rung.reasons"
      :alternatives="rung.alternatives"
      :unit="rung.kind === 'volts' ? 'V' : ''"
    >
      <div class="own">
        <NumberField
          :key="chosen"
          :path="own(chosen)"
          :label="`Your own figure for ${rung.word.toLowerCase()}`"
          :unit="rung.kind === 'soc' ? '%' : 'V'"
          :scale="rung.kind === 'soc' ? 100 : 1"
          placeholder="the plan's"
        />
        <button v-if="rung.wished !== null" @click="job.set(own(chosen), undefined)">Back to the plan's figure</button>
        <p class="soft range">
          Permitted {{ show(rung, rung.lowest) }} to {{ show(rung, rung.highest) }} in steps of {{ show(rung, rung.step) }}.
          <template v-if="rung.at_rest_soc_band && rung.kind === 'volts'">
            A reading here may stand for {{ tidy((rung.at_rest_soc_band[0] ?? 0) * 100, 1) }} to
            {{ tidy((rung.at_rest_soc_band[1] ?? 0) * 100, 1) }} % of charge at rest; under full load it is
            {{ tidy((rung.full_load_soc ?? 0) * 100, 1) }} %.
          </template>
        </p>
      </div>
    </WhyPanel>
    <WhyPanel
      v-else-if="derived && chosen"
      :title="title"
      :reasons="derived.reasons"
      :alternatives="derived.alternatives"
      :unit="derived.unit"
    >
      <div class="own">
        <template v-if="derived.fixed">
          <p class="soft">No figure of your own here: {{ derived.fixed }}.</p>
        </template>
        <ChoiceField
          v-else-if="derived.choices.length"
          :key="`choice ${chosen}`"
          :path="own(chosen)"
          :label="`Your own choice for ${derived.word.toLowerCase()}`"
          :choices="derived.choices.map((c) => [c.value, c.word] as const)"
          :fallback="derived.value as string"
        />
        <ChoiceField
          v-else-if="typeof derived.value === 'boolean'"
          :key="`switch ${chosen}`"
          :path="own(chosen)"
          :label="`Your own choice for ${derived.word.toLowerCase()}`"
          :choices="[
            [0, 'Off'],
            [1, 'On'],
          ]"
          :fallback="Number(derived.value)"
          boolean
        />
        <NumberField
          v-else
          :key="`figure ${chosen}`"
          :path="own(chosen)"
          :label="`Your own figure for ${derived.word.toLowerCase()}`"
          :unit="derived.unit"
          :scale="derived.percent ? 100 : 1"
          placeholder="the plan's"
        />
        <button v-if="derived.wished !== null" @click="job.set(own(chosen), undefined)">Back to the plan's figure</button>
      </div>
    </WhyPanel>
  </template>
  <div v-else-if="view && !view.feasible" class="conflict" role="alert">
    <h2>No ladder fits</h2>
    <p>These rules cannot hold together: {{ view.conflict.join(', ') }}.</p>
    <p>{{ view.way_out }}</p>
  </div>
  <EmptyNote v-else>Thresholds follow once the bank is one bank. See the findings.</EmptyNote>

  <fieldset data-pointer="/policy">
    <legend>What the ladder rests on</legend>
    <div class="fields">
      <NumberField path="/policy/reserve_soc" />
      <NumberField path="/policy/shutdown_soc" />
      <NumberField path="/policy/overshoot_v" />
      <NumberField path="/policy/imbalance_v" />
      <NumberField path="/policy/meter_error_v" />
    </div>
    <div class="fields later">
      <ChoiceField path="/policy/hold_school" />
    </div>
  </fieldset>
  <fieldset v-if="rows.length">
    <legend>Other figures of the plan</legend>
    <ul class="derived">
      <li v-for="[name, d] in rows" :key="name" :data-pointer="own(name)" tabindex="-1">
        <button class="plain" :data-pointer="`/quantities/${name}`" :aria-pressed="chosen === name" @click="chosen = name">
          <span>{{ d.word }}</span> <b>{{ said(d.value, d) }}</b>
        </button>
      </li>
    </ul>
    <details v-if="rare.length" class="rare" :open="unfolded" @toggle="unfolded = ($event.target as HTMLDetailsElement).open">
      <summary>{{ rare.length }} more that this unit knows</summary>
      <ul class="derived">
        <li v-for="[name, d] in rare" :key="name" :data-pointer="own(name)" tabindex="-1">
          <button class="plain" :data-pointer="`/quantities/${name}`" :aria-pressed="chosen === name" @click="chosen = name">
            <span>{{ d.word }}</span> <b :class="{ own: d.own }">{{ said(d.value, d) }}</b>
          </button>
        </li>
      </ul>
    </details>
  </fieldset>
</template>

<style scoped>
.choices {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 20px;
  border-block: 1px solid var(--faint);
  padding: 8px 0;
  margin: 10px 0;
}
.ladders.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 262px;
  gap: 14px;
}
@media (max-width: 1180px) {
  .ladders.two {
    grid-template-columns: 1fr;
  }
}
.own {
  display: flex;
  gap: 12px 18px;
  align-items: end;
  flex-wrap: wrap;
  margin-top: 10px;
}
.range {
  flex: 1 1 300px;
}
.later {
  margin-top: 12px;
}
.rare {
  margin-top: 12px;
}
.rare summary {
  cursor: pointer;
  font-weight: 600;
  min-height: 40px;
  display: flex;
  align-items: center;
}
.derived {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(250px, 100%), 1fr));
  gap: 0 18px;
}
.derived button {
  width: 100%;
  justify-content: space-between;
  padding: 0 4px;
  border-bottom: 1px solid var(--faint);
}
.derived button[aria-pressed='true'] {
  background: var(--copper-wash);
}
.conflict {
  border-left: 3px solid var(--stop);
  background: var(--stop-wash);
  padding: 12px 16px;
}
</style>
