<script setup lang="ts">
// What pops up over a finding: a rule's statement, formula and source, from the server's own register.
import { useQuery } from '@tanstack/vue-query'
import { ElPopover } from 'element-plus'
import 'element-plus/theme-chalk/el-popover.css'
import { computed, nextTick, onMounted, ref } from 'vue'
import { queries } from '../api/queries'
import { jobOrNone } from '../job/use-job'

const props = defineProps<{ id: string }>()
const open = ref(false)
const face = ref<HTMLButtonElement>()
onMounted(() => nextTick(() => ((open.value = true), face.value?.focus())))
const job = jobOrNone()
const rules = useQuery(computed(() => ({ ...queries.rules(job?.plan.value?.bank?.chemistry), enabled: open.value })))
const rule = computed(() => rules.data.value?.find((r) => r.id === props.id))
</script>

<template>
  <ElPopover v-model:visible="open" trigger="click" width="min(340px, 90vw)" placement="bottom-start">
    <template #reference>
      <button ref="face" class="rule link" :aria-expanded="open" :aria-label="`What the rule ${id} says`">why</button>
    </template>
    <div v-if="rule" class="says" role="note">
      <p>
        <b>{{ rule.statement }}</b>
      </p>
      <p v-if="rule.formula">
        <code>{{ rule.formula }}</code>
      </p>
      <p class="soft small">{{ rule.source }} · {{ rule.status_words }} · rule {{ id }}</p>
    </div>
    <p v-else class="soft">{{ rules.isError.value ? 'Cannot be read now.' : 'Reading' }}</p>
  </ElPopover>
</template>

<style scoped>
.rule {
  color: var(--soft);
  font-size: 13px;
  min-height: 32px;
  padding: 0;
  font-weight: 400;
}
.says p {
  margin: 4px 0;
  overflow-wrap: anywhere;
}
</style>
