<!-- What the inverter shows in each case once they talk, and what it does when they stop. -->
<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import { vStack } from '../../ui/stack'
import { vHelp } from '../../ui/help'
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import ChoiceField from '../../ui/ChoiceField.vue'
import { amps, tidy } from '../../ui/figures'

const job = useJob()
const displays = computed(() => job.plan.value?.link?.displays ?? [])
const loss = computed(() => job.plan.value?.quantities.link_loss_action)
</script>

<template>
  <FoldPart name="link:displays" title="What you should see" says="on the inverter, once the link talks">
    <table v-stack data-displays>
      <thead>
        <tr>
          <th>With</th>
          <th v-help="'Display.volts'" class="num">Bank</th>
          <th v-help="'Display.charge_v'" class="num">Charge to</th>
          <th v-help="'Display.charge_a'" class="num">In</th>
          <th v-help="'Display.discharge_a'" class="num">Out</th>
          <th v-help="'Display.note'">Mind</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="d in displays" :key="d.case" :data-display="d.case">
          <td>{{ d.word }}</td>
          <template v-if="d.charge_a !== null">
            <td class="num">{{ d.volts === null ? 'as measured' : `${tidy(d.volts, 1)} V` }}</td>
            <td class="num">{{ d.charge_v === null ? 'not known' : `${tidy(d.charge_v, 1)} V` }}</td>
            <td class="num">
              <b>{{ amps(d.charge_a) }}</b>
            </td>
            <td class="num">
              <b>{{ amps(d.discharge_a) }}</b>
            </td>
          </template>
          <td v-else colspan="4" class="num nothing">nothing, or all zeros</td>
          <td class="small">{{ d.note }}</td>
        </tr>
      </tbody>
    </table>
    <div class="fields loss">
      <ChoiceField path="/policy/link_loss" />
      <p v-if="loss" class="said">
        <b>{{ loss.value === 'carry-on' ? 'Carry on' : 'Stop' }}:</b> {{ loss.reasons[0]?.text }}.
      </p>
    </div>
  </FoldPart>
</template>

<style scoped>
.nothing {
  color: var(--soft);
}
.loss {
  margin-top: 10px;
}
.said {
  padding-top: 26px;
  flex: 1 1 300px;
}
</style>
