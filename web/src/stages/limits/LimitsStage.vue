<script setup lang="ts">
import { vStack } from '../../ui/stack'
import EmptyNote from '../../ui/EmptyNote.vue'
import { computed, ref } from 'vue'
import type { Cap, Chain } from '../../api/client'
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import NumberField from '../../ui/NumberField.vue'
import { amps } from '../../ui/figures'
import { vHelp } from '../../ui/help'
import { useJob } from '../../job/use-job'
import WhyPanel from '../../workspace/WhyPanel.vue'
import NarrowsFigure from './NarrowsFigure.vue'

const job = useJob()
const limits = computed(() => job.plan.value?.limits)
const chosen = ref<{ side: 'charge' | 'discharge'; cap: string } | null>(null)
const chain = computed<Chain | undefined>(() => limits.value?.[chosen.value?.side ?? 'charge'])
const cap = computed<Cap | undefined>(() => chain.value?.caps.find((c) => c.cap === (chosen.value?.cap ?? chain.value?.binding)))
const why = ref(false)
function choose(side: 'charge' | 'discharge', name: string) {
  chosen.value = { side, cap: name }
  why.value = true
}
const OWN = ['/policy/max_c_rate', '/policy/max_discharge_c_rate', '/policy/own_figures/bank_charge_max_a']
const acSays = computed(() =>
  (limits.value?.ac.sources ?? []).map((s) => `${s.source} ${amps(s.charge_a)} into the bank`).join(', '),
)
const whyTitle = computed(() => (cap.value ? `Why ${cap.value.word} is ${amps(cap.value.a)}` : ''))
</script>

<template>
  <StageHead stage="limits" />
  <template v-if="limits">
    <NarrowsFigure
      :chain="limits.charge"
      title="Into the bank"
      kind="charge"
      :chosen="chosen?.side === 'charge' ? chosen.cap : null"
      @choose="(c) => choose('charge', c)"
    />
    <NarrowsFigure
      :chain="limits.discharge"
      title="Out of the bank"
      kind="discharge"
      :chosen="chosen?.side === 'discharge' ? chosen.cap : null"
      @choose="(c) => choose('discharge', c)"
    />
    <p class="soft small legend">Dashed: with one module gone. Dotted: what the loads need.</p>
    <WhyPanel v-if="cap" v-model:open="why" :title="whyTitle" :reasons="[{ rule: cap.rule, text: cap.why }]">
      <p v-if="cap.without_one_a !== null && cap.without_one_a !== undefined" class="soft">
        With one module gone: {{ amps(cap.without_one_a) }}.
      </p>
    </WhyPanel>
  </template>
  <EmptyNote v-else>Limits follow once the bank is one bank. See the findings.</EmptyNote>
  <FoldPart name="limits:own" title="Lower them yourself" :paths="OWN" pointer="/policy/own_figures">
    <div class="fields">
      <NumberField path="/policy/max_c_rate" />
      <NumberField path="/policy/max_discharge_c_rate" />
      <NumberField path="/policy/own_figures/bank_charge_max_a" label="Into the bank at most" unit="A" />
    </div>
  </FoldPart>
  <FoldPart v-if="limits?.ac.sources.length" name="limits:ac" title="Charging from AC" :says="acSays">
    <table v-stack class="ac">
      <thead>
        <tr>
          <th>Source</th>
          <th v-help="'AcSource.available_w'" class="num">Gives</th>
          <th v-help="'AcSource.loads_w'" class="num">Loads take</th>
          <th v-help="'AcSource.free_w'" class="num">Left</th>
          <th v-help="'AcSource.charge_a'" class="num">Safe charge</th>
          <th v-help="'AcSource.shortcut_a'" class="num">Short cut</th>
          <th v-help="'AcSource.shortcut_draws_w'" class="num">which would draw</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="s in limits.ac.sources" :key="s.source">
          <td>{{ s.source }}</td>
          <td class="num">{{ s.available_w }} W</td>
          <td class="num">{{ s.loads_w }} W{{ s.loads_assumed ? ', assumed' : '' }}</td>
          <td class="num">{{ s.free_w }} W</td>
          <td class="num">
            <b>{{ s.charge_a }} A</b>
          </td>
          <td class="num">{{ s.shortcut_a }} A</td>
          <td class="num">{{ Math.round(s.shortcut_draws_w) }} W</td>
        </tr>
      </tbody>
    </table>
  </FoldPart>
</template>

<style scoped>
.legend {
  margin: 6px 0;
}
.ac {
  max-width: 760px;
}
</style>
