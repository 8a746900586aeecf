<script setup lang="ts">
// What every unit does by its entries in each situation that matters: filtered by promise, source and window; a row opens its words.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ApiProblem, type Job, type TriedRow } from '../../api/client'
import { lastGood } from '../../api/last-good'
import { queries } from '../../api/queries'
import { useJob } from '../../job/use-job'
import EmptyNote from '../../ui/EmptyNote.vue'
import { percent, tidy } from '../../ui/figures'
import { vStack } from '../../ui/stack'
import PickField from '../../ui/PickField.vue'
import StateMark from '../../ui/StateMark.vue'
import TickBox from '../../ui/TickBox.vue'
import WaitNote from '../../ui/WaitNote.vue'

const job = useJob()
const found = ref(false)
const noted = computed(() =>
  Object.values((job.at('/as_found') as Record<string, object> | undefined) ?? {}).some((u) => Object.keys(u).length),
)
const told = useQuery(
  computed(() => ({
    ...queries.trial(job.id, found.value && noted.value, job.turn.value, job.planned.value as Job),
    enabled: job.planned.value !== null,
  })),
)
const result = lastGood(told)
const failure = computed(() => (told.error.value instanceof ApiProblem ? told.error.value.message : ''))
const rules = useQuery(queries.rules())
const PROMISES: [string, string][] = [
  ['', 'Every promise'],
  ['tried-charge', 'Charging stays within the bank'],
  ['tried-low-end', 'Discharge ends in time'],
  ['tried-sold', 'Nothing sold that is not to be'],
  ['tried-charged', 'Grid and generator charge where wanted'],
  ['tried-carried', 'Loads are carried'],
  ['tried-engine', 'The generator starts and stops'],
  ['tried-outage', 'The outage reserve stays'],
  ['tried-windows', 'Windows and orders are obeyed'],
  ['tried-alike', 'Units decide alike'],
  ['tried-full', 'Full charge is reached'],
]
const promise = ref('')
const source = ref('')
const SOURCES: [string, string][] = [
  ['', 'Any source'],
  ['none', 'No source'],
  ['grid', 'Grid there'],
  ['generator', 'Generator runs'],
]
const wants = ref('')
const allWants = computed(() => [...new Set((result.value?.rows ?? []).map((r) => r.wants))].sort())
const WANTS: Record<string, string> = {
  auto: 'outside windows',
  charge: 'window charges',
  hold: 'window holds',
  use: 'window uses',
  export: 'window sells',
}
const windows = computed<[string, string][]>(() => [
  ['', 'Any time'],
  ...allWants.value.map((w): [string, string] => [w, WANTS[w] ?? w]),
])
const rows = computed(() =>
  (result.value?.rows ?? []).filter(
    (r) =>
      (!promise.value || r.broken.includes(promise.value)) &&
      (!source.value || r.source === source.value) &&
      (!wants.value || (r.source === 'grid' && r.wants === wants.value)),
  ),
)
const most = ref(60)
const shown = computed(() => rows.value.slice(0, most.value))
const open = ref(-1)
const statement = (id: string) => rules.data.value?.find((x) => x.id === id)?.statement ?? id
const watts = (w: number) => (Math.abs(w) < 1 ? '0 W' : `${w > 0 ? '+' : '−'}${tidy(Math.abs(w), 0)} W`)
const when = (r: TriedRow) => (r.when ? `${r.when}${r.season ? `, ${r.season}` : ''}` : 'any time')
const SOURCE: Record<string, string> = { none: 'none', grid: 'grid', generator: 'generator' }
</script>

<template>
  <p class="soft">
    Before a plan is shown its sheets are read literally and asked what the units do in each situation that can matter.
  </p>
  <p v-if="failure" class="soft" role="alert">{{ failure }} <button class="link" @click="told.refetch()">Ask again</button></p>
  <WaitNote v-if="!result && !failure" />
  <template v-else-if="result">
    <p class="verdict" data-verdict>
      <StateMark :state="result.broken.length ? 'stop' : 'ok'" />
      <b v-if="result.broken.length">{{ result.broken.length }} broken of {{ result.rows.length }} situations asked</b>
      <b v-else>{{ result.rows.length }} situations asked, nothing broken</b>
    </p>
    <ul v-if="result.broken.length" class="says">
      <li v-for="b in result.broken" :key="b">{{ b }}</li>
    </ul>
    <p v-for="u in result.unknown" :key="u" class="soft small">Not known: {{ u }}.</p>
    <div v-if="result.rows.length" class="filters">
      <PickField v-model="promise" :choices="PROMISES" label="Promise" />
      <PickField v-model="source" :choices="SOURCES" label="Source" />
      <PickField v-if="allWants.length > 1" v-model="wants" :choices="windows" label="Window" />
      <TickBox v-if="noted" label="As found" :checked="found" @change="(on) => (found = on)" />
    </div>
    <EmptyNote v-if="!result.rows.length">The trial follows once bank and units are there and the thresholds fit.</EmptyNote>
    <EmptyNote v-else-if="!rows.length">Nothing of this kind{{ promise ? ': this promise is kept everywhere' : '' }}.</EmptyNote>
    <div v-else class="scroll" tabindex="0" aria-label="Situations that were tried">
      <table v-stack data-tried>
        <thead>
          <tr>
            <th>When</th>
            <th class="num">Charge</th>
            <th class="num">Volts</th>
            <th class="num">Sun</th>
            <th class="num">Loads</th>
            <th>Source</th>
            <th class="num">Bank</th>
            <th class="num">From source</th>
            <th>Why</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="(r, i) in shown" :key="i">
            <tr :class="{ broken: r.broken.length }">
              <td>
                <button class="link when" :aria-expanded="open === i" @click="open = open === i ? -1 : i">{{ when(r) }}</button>
              </td>
              <td class="num">{{ percent(r.soc) }}</td>
              <td class="num">{{ tidy(r.volts, 1) }} V</td>
              <td class="num">{{ tidy(r.sun_w, 0) }} W</td>
              <td class="num">{{ tidy(r.load_w, 0) }} W</td>
              <td>{{ SOURCE[r.source] ?? r.source }}</td>
              <td class="num">{{ watts(r.bank_w) }}</td>
              <td class="num">{{ watts(r.grid_w) }}</td>
              <td class="small">{{ r.reason }}</td>
            </tr>
            <tr v-if="open === i">
              <td colspan="9" class="more">
                <p>
                  <template v-if="r.source === 'grid'"
                    >The {{ r.wants === 'auto' ? 'job has no window then' : (WANTS[r.wants] ?? r.wants) }}.
                  </template>
                  <template v-if="r.over">The units have gone over to the source before. </template>
                  <template v-if="r.unserved_w > 1">{{ tidy(r.unserved_w, 0) }} W of loads are not carried. </template>
                  <template v-if="r.curtailed_w > 1">{{ tidy(r.curtailed_w, 0) }} W of sun are not used. </template>
                </p>
                <p v-for="b in r.broken" :key="b"><StateMark state="caution" /> {{ statement(b) }}</p>
                <p v-if="!r.broken.length" class="soft">Every promise is kept here.</p>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </div>
    <button v-if="rows.length > most" @click="most += 240">Show more of {{ rows.length }}</button>
  </template>
</template>

<style scoped>
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
  align-items: end;
  margin: 8px 0;
}
.says {
  margin: 4px 0 10px;
}
.verdict {
  display: flex;
  gap: 8px;
  align-items: center;
}
.when {
  text-align: left;
  white-space: nowrap;
  padding: 0;
}
.broken td {
  background: color-mix(in srgb, var(--caution) 10%, transparent);
}
.more p {
  margin: 4px 0;
}
</style>
