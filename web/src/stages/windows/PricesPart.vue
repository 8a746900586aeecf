<script setup lang="ts">
// What a kWh costs and earns by time, and the best windows for it.
import { prefs } from '../../ui/prefs'
import FoldPart from '../../ui/FoldPart.vue'
import RowsPart from '../../ui/RowsPart.vue'
import { vStack } from '../../ui/stack'
import { computed } from 'vue'
import type { Advice } from '../../api/client'
import { useWork } from '../../api/use-work'
import { useJob } from '../../job/use-job'
import { firstPrices } from './prices'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import WorkBar from '../../ui/WorkBar.vue'

interface Price {
  days?: string
  from: string
  to: string
  price: number
}
/** Where the tariff stands: the job's own, or a season's. */
const props = withDefaults(defineProps<{ at?: string; legend?: string }>(), { at: '/tariff', legend: 'Prices' })
const job = useJob()
const tariff = computed(() => job.at(props.at) as { base: number; prices?: Price[] } | undefined)
const advice = useWork<Advice>(() => job.document.value)
const takeAdvice = () =>
  advice.result.value &&
  job.set(
    '/windows',
    advice.result.value.windows.map((w) => w.window),
  )
</script>

<template>
  <FoldPart
    :name="`windows:prices${at}`"
    :title="legend"
    :says="tariff ? `${tariff.base} ${job.at(`${at}/currency`) ?? prefs.currency} a kWh` : 'none given'"
    :pointer="at"
  >
    <template v-if="tariff">
      <div class="fields">
        <NumberField :path="`${at}/base`" />
        <NumberField :path="`${at}/export`" />
        <NumberField :path="`${at}/demand_per_kw`" />
        <TextField :path="`${at}/currency`" />
      </div>
      <table v-if="tariff.prices?.length" v-stack class="prices">
        <thead>
          <tr>
            <th>From</th>
            <th>To</th>
            <th>Days</th>
            <th>Bought</th>
            <th>Sold</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(_, i) in tariff.prices ?? []" :key="i">
            <td><TextField :path="`${at}/prices/${i}/from`" :label="`Price ${i + 1} from`" bare needed class="time" /></td>
            <td><TextField :path="`${at}/prices/${i}/to`" :label="`Price ${i + 1} to`" bare needed class="time" /></td>
            <td>
              <TextField :path="`${at}/prices/${i}/days`" :label="`Price ${i + 1} days`" bare class="daytext" />
            </td>
            <td><NumberField :path="`${at}/prices/${i}/price`" :label="`Price ${i + 1}`" bare /></td>
            <td>
              <NumberField
                :path="`${at}/prices/${i}/export`"
                :label="`Price ${i + 1}, sold`"
                bare
                :placeholder="String((job.at(`${at}/export`) as number | undefined) ?? 0)"
              />
            </td>
            <td>
              <button class="plain" :aria-label="`Remove price ${i + 1}`" @click="job.drop(`${at}/prices`, i)">Remove</button>
            </td>
          </tr>
        </tbody>
      </table>
      <p>
        <button @click="job.set(`${at}/prices`, [...(tariff.prices ?? []), { from: '17:00', to: '20:00', price: tariff.base }])">
          Add a price
        </button>
        <button class="plain" @click="job.set(at, undefined)">No prices</button>
      </p>
      <RowsPart
        :list="`${at}/prices`"
        noun="price"
        :fields="['from', 'to', 'days', 'price', 'export']"
        :texts="['from', 'to', 'days']"
        :most="40"
      />
      <WorkBar
        v-if="at === '/tariff'"
        :work="advice"
        label="Find the best windows"
        @start="advice.start({ kind: 'advice', document: job.document.value })"
      />
      <div v-if="at === '/tariff' && advice.result.value && advice.state.value === 'done'" data-advice>
        <p>
          <b>{{ advice.result.value.words }}</b>
        </p>
        <ul>
          <li v-for="w in advice.result.value.windows" :key="w.words">{{ w.words }}</li>
        </ul>
        <p class="soft small">
          Without windows {{ advice.result.value.cost_without }}, with them {{ advice.result.value.cost_with }}, with perfect
          foresight {{ advice.result.value.cost_optimum }} {{ advice.result.value.currency }} in
          {{ advice.result.value.days }} days.
        </p>
        <button v-if="advice.result.value.windows.length" @click="takeAdvice">Take these windows</button>
      </div>
    </template>
    <button v-else @click="job.set(at, firstPrices())">Add prices</button>
  </FoldPart>
</template>

<style scoped>
.time :deep(.text) {
  width: 84px;
}
.daytext :deep(.text) {
  width: 96px;
}
.prices {
  width: auto;
}
.prices td,
.prices th {
  padding-left: 0;
}
</style>
