<!-- Each module's switches as drawn and as found, flipped by finger or key. -->
<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import { vStack } from '../../ui/stack'
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import StateMark from '../../ui/StateMark.vue'
import SwitchRow from './SwitchRow.vue'
import { flipped, lettersOf } from './cable'

const job = useJob()
const addresses = computed(() => job.plan.value?.link?.addresses)
const moduleIndex = (id: string) =>
  ((job.at('/bank/modules') as { id: string }[] | undefined) ?? []).findIndex((m) => m.id === id)
const setSwitches = (module: string, letters: string | undefined) =>
  job.set(`/bank/modules/${moduleIndex(module)}/switches`, letters)
</script>

<template>
  <FoldPart
    v-if="addresses"
    name="link:addresses"
    title="Addresses"
    :says="`${addresses.modules.length} modules, ${addresses.modules.filter((m) => m.ok).length} as drawn`"
  >
    <p class="small soft">
      Switch 1 counts {{ addresses.least_first ? 'least' : 'most' }}, on is {{ addresses.on_is }}. Flip the right-hand ones to
      what you find.
    </p>
    <table v-stack class="addresses">
      <thead>
        <tr>
          <th>Module</th>
          <th class="num">Address</th>
          <th>As drawn</th>
          <th>As found</th>
          <th><span class="visually-hidden">Verdict</span></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="m in addresses.modules"
          :key="m.module"
          :data-pointer="`/bank/modules/${moduleIndex(m.module)}/switches`"
          tabindex="-1"
        >
          <td>
            <b>{{ m.module }}</b> <span v-if="m.host" class="soft">host</span>
          </td>
          <td class="num">{{ m.address }}</td>
          <td><SwitchRow :up="m.switches" :label="`${m.module} as drawn`" /></td>
          <td>
            <SwitchRow
              v-if="m.found"
              :up="m.found"
              live
              :label="`${m.module} as found`"
              :wrong="m.found.map((f, i) => f !== m.switches[i])"
              @flip="(i) => setSwitches(m.module, flipped(lettersOf(m.found ?? []), i))"
            />
            <button v-else @click="setSwitches(m.module, lettersOf(m.switches))">Found as drawn</button>
          </td>
          <td class="verdict">
            <template v-if="m.ok !== null"
              ><StateMark :state="m.ok ? 'ok' : 'stop'" />
              <span v-if="!m.ok" class="small">{{
                m.found_address === null ? 'count again' : `this is ${m.found_address}`
              }}</span></template
            >
          </td>
        </tr>
      </tbody>
    </table>
    <ol class="steps">
      <li v-for="s in addresses.steps" :key="s">{{ s }}</li>
    </ol>
    <p v-if="addresses.path.length" class="small">
      <span v-for="(p, i) in addresses.path" :key="i"
        >{{ p.from }} {{ p.from_port }} to {{ p.to }} {{ p.to_port }}{{ i < addresses.path.length - 1 ? '; ' : '.' }}
      </span>
    </p>
  </FoldPart>
</template>

<style scoped>
.addresses {
  max-width: 620px;
}
.verdict {
  white-space: nowrap;
}
.steps {
  margin: 8px 0;
  padding-left: 20px;
}
</style>
