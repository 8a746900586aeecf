<script setup lang="ts">
// The breaker list: derived from the job until somebody makes it the site's own.
import { vStack } from '../../ui/stack'
import { ElDialog } from 'element-plus'
import type { Breaker, Run } from '../../api/client'
import ChoiceField from '../../ui/ChoiceField.vue'
import TextField from '../../ui/TextField.vue'
import { useJob } from '../../job/use-job'

const open = defineModel<boolean>({ required: true })
const props = defineProps<{ run: Run }>()
const job = useJob()
const SIDES: [string, string][] = [
  ['load', 'loads'],
  ['grid', 'grid'],
  ['generator', 'generator'],
  ['sun', 'sun string'],
  ['charger', 'charger to bank'],
  ['unit', 'unit to bank'],
  ['bank', 'bank'],
  ['module', 'module'],
]
const own = () => (job.at('/breakers') as Breaker[] | undefined) ?? []
const devices = () => [
  ['', 'none'] as [string, string],
  ...[
    ...(job.document.value?.units ?? []),
    ...(job.document.value?.sun?.chargers ?? []),
    ...(job.document.value?.bank?.modules ?? []),
  ].map((d) => [d.id, d.id] as [string, string]),
]
const adopt = () => job.set('/breakers', JSON.parse(JSON.stringify(props.run.breakers.map(bare))))
const bare = (b: Breaker) => Object.fromEntries(Object.entries(b).filter(([, v]) => v !== null && v !== undefined))
function more() {
  const used = new Set(own().map((b) => b.id))
  let n = own().length + 1
  while (used.has(`q${n}`)) n++
  job.set('/breakers', [...own(), { id: `q${n}`, name: `Breaker ${n}`, side: 'load' }])
}
const number = (id: string) => props.run.isolating.indexOf(id) + 1
</script>

<template>
  <ElDialog v-model="open" title="Breakers" width="min(860px, 96vw)">
    <template v-if="!own().length">
      <p class="soft">Derived from the job, in the order of isolating. Make it the site's own to name and change them.</p>
      <table v-stack>
        <tbody>
          <tr v-for="id in run.isolating" :key="id">
            <td class="num soft">{{ number(id) }}</td>
            <td>
              <b>{{ run.breakers.find((b) => b.id === id)?.name }}</b>
            </td>
            <td class="soft">{{ run.breakers.find((b) => b.id === id)?.feeds ?? '' }}</td>
          </tr>
        </tbody>
      </table>
      <p class="foot"><button class="first" @click="adopt">Make it the site's own</button></p>
    </template>
    <template v-else>
      <p class="soft">
        The order of isolating follows from the sides: nothing sunny moves while its charger is without the bank.
      </p>
      <div class="scroll">
        <table v-stack>
          <thead>
            <tr>
              <th class="num">No</th>
              <th>Name</th>
              <th>Side</th>
              <th>Device</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(b, i) in own()" :key="b.id">
              <td class="num soft">{{ number(b.id) || '' }}</td>
              <td><TextField :path="`/breakers/${i}/name`" :label="`Name of breaker ${i + 1}`" bare /></td>
              <td>
                <ChoiceField
                  :path="`/breakers/${i}/side`"
                  :label="`Side of ${b.name}`"
                  select
                  bare
                  :choices="SIDES"
                  fallback="load"
                />
              </td>
              <td>
                <ChoiceField
                  :path="`/breakers/${i}/device`"
                  :label="`Device of ${b.name}`"
                  select
                  bare
                  :choices="devices()"
                  fallback=""
                />
              </td>
              <td>
                <button class="plain" :aria-label="`Remove ${b.name}`" @click="job.drop('/breakers', i)">Remove</button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="foot">
        <button @click="more">One more</button>
        <button class="plain" @click="job.set('/breakers', undefined)">Back to the derived list</button>
      </p>
    </template>
  </ElDialog>
</template>

<style scoped>
.foot {
  display: flex;
  gap: 8px;
  margin-top: 12px;
}
</style>
