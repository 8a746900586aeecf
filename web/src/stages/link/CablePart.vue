<!-- The cable card: straight, made or on terminals; what the pair should measure. -->
<script setup lang="ts">
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
  <fieldset v-if="link?.cable" data-pointer="/link/cable" tabindex="-1">
    <legend>Cable card</legend>
    <div class="fields">
      <ChoiceField path="/link/cable" />
      <NumberField path="/link/length_m" />
      <NumberField path="/link/measured_ohm" />
      <a class="button print" :href="`/api/jobs/${job.id}/cable`" download>Print (PDF)</a>
    </div>
    <p class="kind">
      <b>{{
        { patch: 'A straight patch cable does.', made: 'A made cable.', terminal: 'Wires to terminals.' }[link.cable.kind]
      }}</b>
      {{ link.cable.advice.join(' ') }}
    </p>
    <CableCard :cable="link.cable" :bms="link.bms_port_label ?? ''" :unit="link.unit_port_label ?? ''" />
    <p v-if="link.terminators" class="small">
      Ohms across the pair, power off:
      <span v-for="(o, n) in link.terminators.expected_ohm" :key="n" class="ohm" :class="{ right: n === 2 }"
        ><b>{{ ohm(o) }}</b> {{ n }} in</span
      >
      two are right<template v-if="link.terminators.found !== null && link.terminators.found !== undefined"
        >; {{ tidy(link.terminators.measured_ohm ?? 0, 1) }} Ω measured means {{ link.terminators.found }}</template
      >.
    </p>
  </fieldset>
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
