<script setup lang="ts">
// A device without a profile: what its plate says, and which settings its menu has.
import { computed } from 'vue'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import { useJob } from '../../job/use-job'
import { OFFERED, PLATE_FIELDS as FIELDS, USUAL } from './plates'
import TakesTicks from './TakesTicks.vue'

const props = defineProps<{ path: string; kind: 'unit' | 'charger' }>()
const job = useJob()
const taken = computed(() => (job.at(`${props.path}/takes`) as string[] | undefined) ?? USUAL[props.kind])
</script>

<template>
  <div class="fields">
    <NumberField v-for="f in FIELDS[kind]" :key="f" :path="`${path}/${f}`" :whole="f === 'class_v'" />
    <ChoiceField v-if="kind === 'unit'" :path="`${path}/ac_phases`" />
    <NumberField :path="`${path}/step_v`" />
    <NumberField :path="`${path}/step_a`" />
  </div>
  <TakesTicks
    label="Settings its menu has"
    :offered="OFFERED[kind]"
    :taken="taken"
    @take="(t) => job.set(`${path}/takes`, t.length ? t : undefined)"
  />
</template>
