<script setup lang="ts">
// What feeds what: sources on the left, the bank with its units in the middle, loads on the right, on a telephone below. Words say it for
// who does not see it.
import { useMediaQuery } from '@vueuse/core'
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
const slim = useMediaQuery('(max-width: 640px)')
const high = computed(() => Math.max(rows.value.length, 2) * ROW + 8)
const middle = computed(() => (slim.value ? Math.max(high.value / 2, 36) : high.value / 2))
/** Where the parts stand: the whole's size, the units' left edge, the loads' left edge and middle. */
const put = computed(() => {
  const below = middle.value + 34 + 24
  return slim.value
    ? { width: 320, height: Math.max(high.value, below + 36), units: 170, loads: 170, at: below + 17 }
    : { width: 660, height: high.value, units: 262, loads: 500, at: middle.value }
})
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
  <svg v-if="rows.length" class="feeds-what" :viewBox="`0 0 ${put.width} ${put.height}`" role="img" :aria-label="told">
    <g v-for="(r, i) in rows" :key="r.name">
      <path
        :d="slim ? `M130 ${yOf(i)} H150 V${middle} H${put.units}` : `M150 ${yOf(i)} H210 V${middle} H${put.units}`"
        :style="{ stroke: r.ink }"
        class="wire"
      />
      <rect x="1" :y="yOf(i) - 17" :width="slim ? 129 : 149" height="34" rx="3" :style="{ stroke: r.ink }" class="box" />
      <text x="10" :y="yOf(i) + 5" class="word">{{ r.word }}</text>
      <text :x="slim ? 122 : 140" :y="yOf(i) + 5" class="told">{{ r.told }}</text>
    </g>
    <path
      :d="slim ? `M${put.units + 74} ${middle + 34} V${put.at - 17}` : `M${put.units + 150} ${middle} H${put.loads}`"
      class="wire load"
    />
    <rect :x="put.units" :y="middle - 34" width="149" height="68" rx="3" class="box bank" />
    <text :x="put.units + 12" :y="middle - 8" class="word">Units</text>
    <text :x="put.units + 140" :y="middle - 8" class="told">{{ units }}</text>
    <text :x="put.units + 12" :y="middle + 20" class="word">Bank</text>
    <text :x="put.units + 140" :y="middle + 20" class="told">{{ bank }}</text>
    <rect :x="put.loads" :y="put.at - 17" width="149" height="34" rx="3" class="box" />
    <text :x="put.loads + 12" :y="put.at + 5" class="word">Loads</text>
    <text :x="put.loads + 140" :y="put.at + 5" class="told">{{ loads }}</text>
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
