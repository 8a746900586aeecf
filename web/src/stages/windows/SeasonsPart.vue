<script setup lang="ts">
// Parts of the year with windows or prices of their own.
import FoldPart from '../../ui/FoldPart.vue'
import { useJob } from '../../job/use-job'
import { firstPrices } from './prices'
import EmptyNote from '../../ui/EmptyNote.vue'
import TextField from '../../ui/TextField.vue'
import PricesPart from './PricesPart.vue'
import type { Season } from './ribbon'

const props = defineProps<{ seasons: Season[] }>()
const job = useJob()
const taken = (name: string) => props.seasons.some((s) => s.name === name)
function add() {
  const next = [
    { name: 'Summer', from: '04-01', to: '09-30' },
    { name: 'Winter', from: '10-01', to: '03-31' },
  ].find((s) => !taken(s.name)) ?? { name: `Season ${props.seasons.length + 1}`, from: '01-01', to: '12-31' }
  job.set('/seasons', [...props.seasons, next])
}
function remove(index: number) {
  const name = props.seasons[index]?.name
  const windows = (job.at('/windows') as { season?: string }[] | undefined) ?? []
  const freed = windows.map((w) =>
    w.season === name ? Object.fromEntries(Object.entries(w).filter(([k]) => k !== 'season')) : w,
  )
  // One step to undo: a window never names a season that is gone.
  job.setAll([
    ['/seasons', job.without('/seasons', index)],
    ...(windows.length ? [['/windows', freed] as [string, unknown]] : []),
  ])
}
</script>

<template>
  <FoldPart
    name="windows:seasons"
    title="Seasons"
    :says="seasons.length ? seasons.map((s) => s.name).join(', ') : 'none'"
    pointer="/seasons"
  >
    <EmptyNote v-if="!seasons.length">None: windows and prices hold all year.</EmptyNote>
    <div v-for="(s, i) in seasons" :key="i" class="season" :data-season="s.name">
      <div class="fields">
        <TextField :path="`/seasons/${i}/name`" needed />
        <TextField :path="`/seasons/${i}/from`" needed class="date" />
        <TextField :path="`/seasons/${i}/to`" needed class="date" />
        <button class="plain" :aria-label="`Remove season ${s.name}`" @click="remove(i)">Remove</button>
      </div>
      <PricesPart v-if="s.tariff" :at="`/seasons/${i}/tariff`" :legend="`Prices in ${s.name}`" />
      <button v-else @click="job.set(`/seasons/${i}/tariff`, job.at('/tariff') ?? firstPrices())">Prices of its own</button>
    </div>
    <p><button @click="add">Add a season</button> <span class="soft small">Days as month-day, 04-01 to 09-30.</span></p>
  </FoldPart>
</template>

<style scoped>
.season {
  border-bottom: 1px solid var(--faint);
  padding: 6px 0;
}
.date :deep(.text) {
  width: 84px;
}
</style>
