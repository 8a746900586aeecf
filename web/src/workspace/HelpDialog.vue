<script setup lang="ts">
// The keys, the words of the trade, and who is signed in to what.
import { ElDialog } from 'element-plus'
import { onMounted, ref } from 'vue'
import { session } from '../session/use-session'
import { glossary } from '../ui/glossary'

const open = defineModel<boolean>({ required: true })
defineEmits<{ units: []; tour: [] }>()
const terms = ref<[string, string][]>([])
onMounted(async () => (terms.value = [...(await glossary())]))
const KEYS: [string, string][] = [
  ['[  ]', 'stage before, stage after'],
  ['/', 'find a quantity, a setting or a field'],
  ['n', 'next finding, and to its field'],
  ['f', 'fault finder: find the cause of a fault'],
  ['w', 'the why of the chosen figure'],
  ['Enter', 'on the sheet: done, and on to the next'],
  ['Up Down', 'on the sheet: line before, line after; among its devices too'],
  ['Left Right', 'on the limits: the cap before, the cap after; on the loads by the hour: hour before, hour after'],
  ['Left Right', 'on a window: 15 minutes; with Shift its end, with Alt its start'],
  ['Left Right', 'on the days of the year: by day; Up and Down: by month'],
  ['Up Down', 'on a rung: one step of the unit; Page Up and Down: ten'],
  ['Delete', 'on a rung: back to the figure of the plan'],
  ['Ctrl Z', 'undo; with Shift: redo'],
  ['?', 'this help'],
]
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="min(520px, 94vw)">
    <table>
      <tbody>
        <tr v-for="[k, w] in KEYS" :key="k + w">
          <td>
            <kbd>{{ k }}</kbd>
          </td>
          <td>{{ w }}</td>
        </tr>
      </tbody>
    </table>
    <p class="buttons">
      <button @click="((open = false), $emit('units'))">Preferences</button>
      <button @click="((open = false), $emit('tour'))">Two-minute tour</button>
    </p>
    <details>
      <summary>Words of the trade</summary>
      <dl class="terms">
        <template v-for="[term, meaning] in terms" :key="term">
          <dt>{{ term }}</dt>
          <dd>{{ meaning }}</dd>
        </template>
      </dl>
    </details>
    <p class="soft small help-foot">
      Signed in as {{ session?.user }}, {{ session?.crew }}. Ewerer {{ session?.version }}. It plans and records; local code and
      licensed practice decide.
    </p>
  </ElDialog>
</template>

<style scoped>
summary {
  min-height: 32px;
  cursor: pointer;
}
.terms dt {
  font-weight: 650;
}
.terms dd {
  margin: 0 0 6px;
}
.help-foot {
  margin-top: 14px;
}
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  margin-top: 16px;
}
</style>
