<!-- The cable card: straight, made or on terminals; what the pair should measure. -->
<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import { tidy } from '../../ui/figures'
import CableCard from './CableCard.vue'

const job = useJob()
const link = computed(() => job.plan.value?.link)
const ohm = (o: number | null) => (o === null ? 'open' : `${tidy(o)} Ω`)
</script>

<template>
  <FoldPart v-if="link?.cable" name="link:cable" title="Cable" begins pointer="/link/cable">
    <div class="fields">
      <ChoiceField path="/link/cable" />
      <NumberField path="/link/length_m" />
      <NumberField path="/link/measured_ohm" />
      <a class="button print" :href="`/api/jobs/${job.id}/cable`" download>Print (PDF)</a>
    </div>
    <template v-if="link.adapter">
      <p class="small">
        Through {{ link.adapter.name }}: battery to its port {{ link.adapter.battery_port }} ({{ link.adapter.protocol }}),
      </p>
      <CableCard :cable="link.adapter.cable" :bms="link.bms_port_label ?? ''" :unit="link.adapter.battery_port" to="adapter" />
      <p class="small">then its port {{ link.adapter.device_port }} to the device ({{ link.protocol }}).</p>
    </template>
    <CableCard
      :cable="link.cable"
      :bms="link.adapter?.device_port ?? link.bms_port_label ?? ''"
      :unit="link.unit_port_label ?? ''"
      :from="link.adapter ? 'adapter' : 'BMS'"
    />
    <ul v-if="link.adapter?.lamps?.length" class="small">
      <li v-for="l in link.adapter.lamps" :key="l.shows">{{ l.shows }}: {{ l.means }}</li>
    </ul>
    <FoldPart name="link:making" title="Making and measuring it" says="wires, length, ohms across the pair">
      <p class="kind">
        <b>{{
          { patch: 'A straight patch cable does.', made: 'A made cable.', terminal: 'Wires to terminals.' }[link.cable.kind]
        }}</b>
        {{ link.cable.advice.join(' ') }}
      </p>
      <p v-if="link.terminators" class="small">
        Ohms across the pair, power off:
        <span v-for="(o, n) in link.terminators.expected_ohm" :key="n" class="ohm" :class="{ right: n === 2 }"
          ><b>{{ ohm(o) }}</b> {{ n }} in</span
        >
        two are right<template v-if="link.terminators.found !== null && link.terminators.found !== undefined"
          >; {{ tidy(link.terminators.measured_ohm ?? 0, 1) }} Ω measured means {{ link.terminators.found }}</template
        >.
      </p>
    </FoldPart>
  </FoldPart>
</template>

<style scoped>
.print {
  align-self: end;
}
.kind {
  margin: 10px 0 4px;
}
.ohm {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 2px 8px;
  margin-right: 6px;
  display: inline-block;
}
.ohm.right {
  border-color: var(--bank);
  border-width: 2px;
}
</style>
