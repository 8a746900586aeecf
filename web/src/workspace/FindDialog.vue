<script setup lang="ts">
// Find any quantity, setting or finding of the plan by its words, and go there.
import { ElDialog, ElInput, type InputInstance } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed, ref } from 'vue'
import { hasWords } from '../ui/words'
import type { Stage } from '../stages/registry'
import { useJob } from '../job/use-job'
import { singleFields } from '../job/words'

const open = defineModel<boolean>({ required: true })
const props = defineProps<{ ahead: () => string }>()
const emit = defineEmits<{ go: [pointer: string, stage?: Stage] }>()
const job = useJob()
const query = ref('')
const at = ref(0)
const box = ref<InputInstance>()
function begin() {
  query.value = props.ahead() + query.value
  box.value?.focus()
}

interface Hit {
  words: string
  where: string
  pointer: string
  stage?: Stage
}
const all = computed<Hit[]>(() => {
  const plan = job.plan.value
  const hits: Hit[] = singleFields().map((f) => ({
    words: f.label,
    where: `field, ${f.stage}`,
    pointer: f.pointer,
  }))
  for (const [name, r] of Object.entries(plan?.ladder ?? {}))
    hits.push({
      words: `${r.word} ${r.kind === 'soc' ? Math.round(r.value * 100) + ' %' : r.value.toFixed(1) + ' V'}`,
      where: `threshold ${name}`,
      pointer: `/policy/own_figures/${name}`,
      stage: 'thresholds',
    })
  for (const [name, d] of Object.entries(plan?.quantities ?? {}))
    hits.push({
      words: `${d.word} ${d.value} ${d.unit}`,
      where: `quantity ${name}`,
      pointer: `/quantities/${name}`,
      stage: 'thresholds',
    })
  for (const u of plan?.units ?? [])
    for (const s of u.settings)
      hits.push({
        words: `${s.label}: ${s.entry} ${s.unit}`,
        where: `sheet ${u.id}, ${s.menu.join(' › ')}`,
        pointer: `/sheet_marks/${u.id}/${s.setting}`,
        stage: 'sheet',
      })
  for (const m of plan?.bank?.modules ?? [])
    hits.push({ words: `Module ${m.id}`, where: 'bank', pointer: `/bank/modules/${plan?.bank?.modules.indexOf(m)}` })
  return hits
})
const hits = computed(() => all.value.filter((h) => hasWords(`${h.words} ${h.where}`, query.value)).slice(0, 12))
function pick(hit: Hit | undefined) {
  if (!hit) return
  open.value = false
  emit('go', hit.pointer, hit.stage)
}
function move(by: number) {
  at.value = Math.max(0, Math.min(hits.value.length - 1, at.value + by))
}
</script>

<template>
  <ElDialog v-model="open" title="Find" width="min(560px, 94vw)" top="10vh" @opened="begin">
    <ElInput
      ref="box"
      v-model="query"
      class="box"
      aria-label="Find a quantity, setting or field"
      placeholder="absorption, fuse, M2, output stops"
      :validate-event="false"
      @input="at = 0"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="pick(hits[at])"
    />
    <ul role="listbox" aria-label="Found">
      <li v-for="(h, i) in hits" :key="h.pointer" role="option" :aria-selected="i === at" @click="pick(h)">
        <b>{{ h.words }}</b> <span class="soft small">{{ h.where }}</span>
      </li>
    </ul>
    <p v-if="!hits.length" class="soft">Nothing by these words.</p>
  </ElDialog>
</template>

<style scoped>
.box {
  width: 100%;
  font-size: 16px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 8px 0 0;
}
li {
  padding: 8px;
  min-height: 40px;
  cursor: pointer;
  display: flex;
  gap: 10px;
  align-items: baseline;
}
li[aria-selected='true'] {
  background: var(--copper-wash);
}
</style>
