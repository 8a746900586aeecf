<script setup lang="ts">
// Arrays with an inverter of their own on the units' output side.
import FoldPart from '../../ui/FoldPart.vue'
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import CautionLine from '../../ui/CautionLine.vue'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import { freeId } from '../bank/modules'

const job = useJob()
const arrays = computed(() => (job.at('/sun/on_output') as { id: string }[] | undefined) ?? [])
function add() {
  const id = freeId(
    arrays.value.map((a) => a.id),
    'R',
  )
  job.set('/sun/on_output', [...arrays.value, { id, inverter_w: 3000, array_w: 3000 }])
}
</script>

<template>
  <FoldPart
    name="units:output"
    title="Arrays on the output side"
    :says="String(arrays.length || 'none')"
    pointer="/sun/on_output"
  >
    <div v-for="(a, i) in arrays" :key="i" class="fields" :data-output-array="a.id">
      <TextField :path="`/sun/on_output/${i}/id`" needed />
      <NumberField :path="`/sun/on_output/${i}/inverter_w`" />
      <NumberField :path="`/sun/on_output/${i}/array_w`" />
      <NumberField :path="`/sun/on_output/${i}/tilt_deg`" />
      <NumberField :path="`/sun/on_output/${i}/azimuth_deg`" />
      <ChoiceField :path="`/sun/on_output/${i}/lowers_by_hz`" boolean />
      <button class="plain" :aria-label="`Remove ${a.id}`" @click="job.drop('/sun/on_output', i)">Remove</button>
    </div>
    <p class="adding">
      <button @click="add">Add array on the output side</button>
      <span class="soft small"> One with its own inverter, wired where the loads are.</span>
    </p>
    <CautionLine v-if="arrays.length">
      It must turn itself down when the bank is full: test with a full bank and the loads off. Local code and licensed practice
      decide.
    </CautionLine>
  </FoldPart>
</template>

<style scoped>
.adding {
  margin-top: 10px;
}
</style>
