<script setup lang="ts">
import EmptyNote from '../../ui/EmptyNote.vue'
import { computed, ref, watch } from 'vue'
import type { Derived, Rung } from '../../api/client'
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import { counted } from '../../ui/words'
import { wordsAt } from '../../job/words'
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
const why = ref(false)
function choose(name: string) {
  chosen.value = name
  why.value = true
}
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
const BASIS = ['reserve_soc', 'shutdown_soc', 'overshoot_v', 'imbalance_v', 'meter_error_v'].map((n) => `/policy/${n}`)
const schoolsSay = computed(() =>
  ['charge_school', 'float_school', 'low_end_school', 'control']
    .map((name) => {
      const words = wordsAt(`/policy/${name}`)
      const held = job.at(`/policy/${name}`) ?? words?.default
      return words?.choices.find((c) => c.value === held)?.word
    })
    .filter(Boolean)
    .join(', '),
)
const othersSay = computed(() => {
  const all = [...rows.value, ...rare.value]
  const mine = all.filter(([, d]) => d.own).length
  return `${counted(all.length, 'figure')}${mine ? `, ${mine} own` : ''}`
})
const topology = computed(() => plan.value?.bank)
</script>

<template>
  <StageHead stage="thresholds" />
  <template v-if="view?.feasible && topology">
    <LadderFigure
      :rungs="volts"
      :view="view"
      kind="volts"
      :ghosts="ghosts('volts')"
      :chosen="chosen"
      :quiet="!why"
      @choose="choose"
      @move="(n, v) => job.set(own(n), v)"
      @reset="(n) => job.set(own(n), undefined)"
    />
    <p v-if="ghosts('volts').length + ghosts('soc').length" class="soft small">Dashed rings: as found, where it differs.</p>
    <WhyPanel
      v-if="rung && chosen"
      v-model:open="why"
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
      v-model:open="why"
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
    <FoldPart
      v-if="soc.length"
      name="thresholds:soc"
      title="The same by charge %"
      :says="`${counted(soc.length, 'level')}${view.decide_by === 'soc' ? '; the units decide by these' : ''}`"
    >
      <LadderFigure
        :rungs="soc"
        :view="view"
        kind="soc"
        :ghosts="ghosts('soc')"
        :chosen="chosen"
        :quiet="!why"
        @choose="choose"
        @move="(n, v) => job.set(own(n), v)"
        @reset="(n) => job.set(own(n), undefined)"
      />
    </FoldPart>
  </template>
  <div v-else-if="view && !view.feasible" class="conflict" role="alert">
    <h2>No set of thresholds fits</h2>
    <p>What was chosen cannot hold together; the finding beside it says which rules meet.</p>
    <p>{{ view.way_out }}</p>
  </div>
  <EmptyNote v-else>Thresholds follow once the bank is one bank. See the findings.</EmptyNote>

  <FoldPart name="thresholds:schools" title="Ways of charging and deciding" :says="schoolsSay" pointer="/policy">
    <div class="fields">
      <ChoiceField path="/policy/charge_school" />
      <NumberField path="/policy/charge_cell_v" placeholder="3.50, 3.60 …" />
      <ChoiceField path="/policy/float_school" />
      <ChoiceField path="/policy/low_end_school" />
      <ChoiceField path="/policy/control" />
      <ChoiceField path="/policy/hold_school" />
    </div>
  </FoldPart>
  <FoldPart name="thresholds:basis" title="What the ladder rests on" :paths="BASIS">
    <div class="fields">
      <NumberField v-for="at in BASIS" :key="at" :path="at" />
    </div>
  </FoldPart>
  <FoldPart v-if="rows.length" name="thresholds:others" title="Other figures of the plan" :says="othersSay">
    <ul class="derived">
      <li v-for="[name, d] in rows" :key="name" :data-pointer="own(name)" tabindex="-1">
        <button class="plain" :data-pointer="`/quantities/${name}`" :aria-pressed="chosen === name" @click="choose(name)">
          <span>{{ d.word }}</span> <b>{{ said(d.value, d) }}</b>
        </button>
      </li>
    </ul>
    <details v-if="rare.length" class="rare" :open="unfolded" @toggle="unfolded = ($event.target as HTMLDetailsElement).open">
      <summary>{{ rare.length }} more that this unit knows</summary>
      <ul class="derived">
        <li v-for="[name, d] in rare" :key="name" :data-pointer="own(name)" tabindex="-1">
          <button class="plain" :data-pointer="`/quantities/${name}`" :aria-pressed="chosen === name" @click="choose(name)">
            <span>{{ d.word }}</span> <b :class="{ own: d.own }">{{ said(d.value, d) }}</b>
          </button>
        </li>
      </ul>
    </details>
  </FoldPart>
</template>

<style scoped>
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
