<script setup lang="ts">
// A device without a profile: what its plate says, and which settings its menu has.
import { computed } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../../api/queries'
import ChoiceField from '../../ui/ChoiceField.vue'
import NumberField from '../../ui/NumberField.vue'
import TickBox from '../../ui/TickBox.vue'
import { useJob } from '../../job/use-job'
import { OFFERED, PLATE_FIELDS as FIELDS, USUAL } from './plates'

const props = defineProps<{ path: string; kind: 'unit' | 'charger' }>()
const job = useJob()
const quantities = useQuery(queries.quantities())
const words = computed(
  () => new Map((quantities.data.value ?? []).map((q) => [q.name, q.name.endsWith('_soc') ? `${q.word}, %` : q.word])),
)
const taken = computed(() => (job.at(`${props.path}/takes`) as string[] | undefined) ?? USUAL[props.kind])
function take(name: string) {
  const next = taken.value.includes(name) ? taken.value.filter((n) => n !== name) : [...taken.value, name]
  job.set(`${props.path}/takes`, next.length ? next : undefined)
}
</script>

<template>
  <div class="fields">
    <NumberField v-for="f in FIELDS[kind]" :key="f" :path="`${path}/${f}`" :whole="f === 'class_v'" />
    <ChoiceField v-if="kind === 'unit'" :path="`${path}/ac_phases`" />
    <NumberField :path="`${path}/step_v`" />
    <NumberField :path="`${path}/step_a`" />
  </div>
  <div role="group" aria-label="Settings its menu has" class="takes">
    <span class="soft small">Its menu has</span>
    <TickBox
      v-for="name in OFFERED[kind]"
      :key="name"
      :label="words.get(name) ?? name"
      :checked="taken.includes(name)"
      @change="take(name)"
    />
  </div>
</template>

<style scoped>
.takes {
  display: flex;
  flex-wrap: wrap;
  gap: 0 16px;
  align-items: center;
  margin-top: 8px;
}
</style>
