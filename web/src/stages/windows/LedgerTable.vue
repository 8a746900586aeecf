<script setup lang="ts">
import { computed } from 'vue'
import type { Ledger } from '../../api/client'
import { tidy } from '../../ui/figures'

const props = defineProps<{ names: string[]; ledgers: Ledger[] }>()
const ROWS: [string, (l: Ledger) => string][] = [
  ['Sun given', (l) => `${tidy(l.sun_kwh, 0)} kWh`],
  ['Sun used', (l) => `${tidy(l.sun_used_kwh, 0)} kWh`],
  ['Curtailed', (l) => `${tidy(l.curtailed_kwh, 0)} kWh`],
  ['Loads', (l) => `${tidy(l.load_kwh + l.other_kwh, 0)} kWh`],
  ['Not served', (l) => `${tidy(l.unserved_kwh, 1)} kWh`],
  ['From the mains', (l) => `${tidy(l.mains_kwh, 0)} kWh`],
  ['of it charging', (l) => `${tidy(l.mains_charge_kwh, 0)} kWh`],
  ['Exported', (l) => `${tidy(l.export_kwh, 0)} kWh`],
  ['From the generator', (l) => `${tidy(l.generator_kwh, 0)} kWh in ${tidy(l.generator_h, 0)} h, ${l.generator_starts} starts`],
  ['Through the bank', (l) => `${tidy(l.bank_out_kwh, 0)} kWh`],
  ['Lowest charge', (l) => `${tidy(l.lowest_soc * 100, 0)} %`],
  ['Days that reach full', (l) => `${l.full_days} of ${l.days}`],
  ['Days to the first full', (l) => (l.days_to_full == null ? 'never' : String(l.days_to_full))],
  ['Transfers a night', (l) => `${tidy(l.transfers_per_night, 2)}, at most ${l.most_transfers_a_night}`],
  ['Highest bank temperature', (l) => `${tidy(l.highest_c, 1)} °C`],
  ['Source overloaded', (l) => `${tidy(l.overload_h, 2)} h`],
  ['Output off', (l) => `${tidy(l.off_h, 1)} h`],
  ['Outside limits', (l) => `${tidy(l.outside_limits_h, 2)} h`],
  ['Cost', (l) => (l.currency ? `${tidy(l.cost, 2)} ${l.currency}` : 'no tariff given')],
]
// What a site does not have is no row of its ledger.
const MAY_LACK: Record<string, (l: Ledger) => number> = {
  'From the mains': (l) => l.mains_kwh,
  'of it charging': (l) => l.mains_charge_kwh,
  Exported: (l) => l.export_kwh,
  'From the generator': (l) => l.generator_h,
}
const rows = computed(() => ROWS.filter(([word]) => !MAY_LACK[word] || props.ledgers.some((l) => MAY_LACK[word]?.(l))))
</script>

<template>
  <table class="ledger" data-ledger>
    <thead>
      <tr>
        <th></th>
        <th v-for="n in names" :key="n" class="num">{{ n }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="[word, f] in rows" :key="word">
        <th scope="row">{{ word }}</th>
        <td v-for="(l, i) in ledgers" :key="i" class="num">{{ f(l) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.ledger {
  max-width: 620px;
  margin-top: 12px;
}
th[scope='row'] {
  border-bottom: 1px solid var(--faint);
  font-weight: 400;
}
</style>
