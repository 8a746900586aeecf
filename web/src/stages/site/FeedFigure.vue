<script setup lang="ts">
// What feeds what: sources on the left, the bank with its units in the middle, loads on the right. Words say it for who does not see it.
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import { spoken } from '../../ui/prefs'

const job = useJob()
const has = (s: string) => ((job.at('/site/sources') as string[] | undefined) ?? []).includes(s)
const watts = (w: unknown) => (typeof w === 'number' ? (w >= 1000 ? spoken(w / 1000, 'kW') : spoken(w, 'W')) : '')
const sun = computed(() => {
  const chargers = (job.at('/sun/chargers') as { array_w?: number }[] | undefined) ?? []
  const outputs = (job.at('/sun/outputs') as { array_w?: number }[] | undefined) ?? []
  const sum = [...chargers, ...outputs].reduce((all, c) => all + (c.array_w ?? 0), 0)
  return sum ? watts(sum) : ''
})
const rows = computed(() =>
  [
    { name: 'sun', word: 'Sun', told: sun.value, ink: 'var(--sun)' },
    {
      name: 'mains',
      word: 'Mains',
      told: typeof job.at('/mains/breaker_a') === 'number' ? spoken(job.at('/mains/breaker_a') as number, 'A') : '',
      ink: 'var(--mains)',
    },
    { name: 'generator', word: 'Generator', told: watts(job.at('/generator/continuous_w')), ink: 'var(--gen)' },
  ].filter((r) => has(r.name)),
)
const ROW = 44
const height = computed(() => Math.max(rows.value.length, 2) * ROW + 8)
const middle = computed(() => height.value / 2)
const yOf = (i: number) => middle.value + (i - (rows.value.length - 1) / 2) * ROW
const units = computed(() => job.plan.value?.stages.find((s) => s.stage === 'units')?.key ?? '')
const bank = computed(() => {
  const made = job.plan.value?.bank
  return made ? spoken(Math.round(made.energy_wh / 100) / 10, 'kWh') : ''
})
const loads = computed(() => watts(job.at('/loads/continuous_w')))
const told = computed(
  () =>
    `${rows.value.map((r) => `${r.word} ${r.told}`).join(', ')} through units ${units.value} and a bank of ${bank.value} to loads of ${loads.value}`,
)
</script>

<template>
  <svg v-if="rows.length" class="feeds-what" :viewBox="`0 0 660 ${height}`" role="img" :aria-label="told">
    <g v-for="(r, i) in rows" :key="r.name">
      <path :d="`M150 ${yOf(i)} H210 V${middle} H262`" :style="{ stroke: r.ink }" class="wire" />
      <rect x="1" :y="yOf(i) - 17" width="149" height="34" rx="3" :style="{ stroke: r.ink }" class="box" />
      <text x="12" :y="yOf(i) + 5" class="word">{{ r.word }}</text>
      <text x="140" :y="yOf(i) + 5" class="told">{{ r.told }}</text>
    </g>
    <path :d="`M412 ${middle} H500`" class="wire load" />
    <rect x="262" :y="middle - 34" width="150" height="68" rx="3" class="box bank" />
    <text x="274" :y="middle - 8" class="word">Units</text>
    <text x="402" :y="middle - 8" class="told">{{ units }}</text>
    <text x="274" :y="middle + 20" class="word">Bank</text>
    <text x="402" :y="middle + 20" class="told">{{ bank }}</text>
    <rect x="500" :y="middle - 17" width="150" height="34" rx="3" class="box" />
    <text x="512" :y="middle + 5" class="word">Loads</text>
    <text x="640" :y="middle + 5" class="told">{{ loads }}</text>
  </svg>
</template>

<style scoped>
.feeds-what {
  display: block;
  width: min(660px, 100%);
  margin: 0 0 24px;
}
.box {
  fill: var(--raised);
  stroke: var(--load);
  stroke-width: 1.5;
}
.bank {
  stroke: var(--bank);
}
.wire {
  fill: none;
  stroke-width: 2;
}
.load {
  stroke: var(--load);
}
.word {
  font-size: 15px;
  font-weight: 600;
}
.told {
  font-size: 15px;
  text-anchor: end;
}
</style>
