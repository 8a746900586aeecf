<!-- Every way the bank and the units could talk, the best first, with what speaks for and against it. -->
<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import { ElRadio } from 'element-plus'
import 'element-plus/theme-chalk/el-radio.css'
import { computed } from 'vue'
import { type LinkCandidate } from '../../api/client'
import { useJob } from '../../job/use-job'
import EmptyNote from '../../ui/EmptyNote.vue'
import StateMark from '../../ui/StateMark.vue'

const { ports } = defineProps<{ ports: { id: string; label: string }[] }>()
const job = useJob()
const candidates = computed(() => job.plan.value?.link?.candidates ?? [])
const portOf = (c: LinkCandidate) => {
  const label = ports.find((p) => p.id === c.unit_port)?.label
  return label ? `unit ${label}` : ''
}
const wanted = computed(() => job.at('/link/choice') as string | undefined)
const choose = (c: LinkCandidate) => job.set('/link/choice', c.key)
</script>

<template>
  <FoldPart name="link:ways" title="Ways to talk" :says="`${candidates.length}, the best first`" pointer="/link/choice">
    <EmptyNote v-if="!candidates.length">Ways to talk follow once there are modules and a unit.</EmptyNote>
    <div class="ways" role="radiogroup" aria-label="Ways to talk">
      <div v-for="c in candidates" :key="c.key" :class="{ chosen: c.chosen, no: !c.possible }" :data-way="c.key">
        <ElRadio
          :model-value="c.chosen ? c.key : ''"
          :value="c.key"
          :disabled="!c.possible"
          :validate-event="false"
          @change="choose(c)"
        >
          <StateMark :state="!c.possible ? 'stop' : c.speaks_against.some((p) => p.severity === 'caution') ? 'caution' : 'ok'" />
          <b>{{ c.word }}</b>
          <span class="soft small">
            {{
              [c.family, portOf(c), c.bitrate ? `${c.bitrate / 1000} kbit/s` : '', c.entry ? `entry ${c.entry}` : '']
                .filter(Boolean)
                .join(' · ')
            }}
          </span>
        </ElRadio>
        <p v-if="c.speaks_for.length" class="small">for: {{ c.speaks_for.join('; ') }}</p>
        <p v-if="c.speaks_against.length" class="small against">against: {{ c.speaks_against.map((p) => p.text).join('; ') }}</p>
      </div>
    </div>
    <button v-if="wanted" @click="job.set('/link/choice', undefined)">Back to the best</button>
  </FoldPart>
</template>

<style scoped>
.ways {
  margin: 0 0 8px;
}
.ways > div {
  border-bottom: 1px solid var(--faint);
  padding: 2px 10px 6px;
  border-left: 3px solid transparent;
}
.ways > .chosen {
  border-left-color: var(--copper);
  background: var(--copper-wash);
}
.ways label {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  min-height: 40px;
  cursor: pointer;
}
.ways :deep(.el-radio__label) {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 8px;
  align-items: baseline;
}
.ways p {
  margin-left: 30px;
}
.against {
  color: var(--soft);
}
.chosen .against {
  color: var(--ink);
}
</style>
