<script setup lang="ts">
// The reason for one figure: the formulas with this job's numbers, the rules and their sources, other schools.
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { RuleOut } from '../api/client'
import { queries } from '../api/queries'
import { jobOrNone } from '../job/use-job'

const props = defineProps<{
  title: string
  reasons: { rule: string; text: string; bound?: string }[]
  alternatives?: { school: string; value: unknown; text: string }[]
  unit?: string
}>()
/** Folded until somebody asks: by its heading, by choosing a figure, by w. */
const open = defineModel<boolean>('open', { default: false })
const job = jobOrNone()
const rules = useQuery(computed(() => queries.rules(job?.plan.value?.bank?.chemistry)))
const BOUND: Record<string, string> = { lowest: 'lowest', highest: 'highest', value: '', school: 'wanted' }
const origin = (rule: RuleOut) =>
  rule.status_words.startsWith(rule.source) ? rule.status_words : `${rule.source} · ${rule.status_words}`
const told = computed(() =>
  props.reasons.map((r) => ({
    ...r,
    rule: r.rule,
    about: rules.data.value?.find((x) => x.id === r.rule),
    word: BOUND[r.bound ?? ''] ?? '',
  })),
)
</script>

<template>
  <details class="why" :aria-label="title" data-why :open="open" @toggle="open = ($event.target as HTMLDetailsElement).open">
    <summary>
      <h2>{{ title }}</h2>
    </summary>
    <div class="lines">
      <div v-for="(r, i) in told" :key="i" class="line">
        <p class="mono">
          <span v-if="r.word" class="bound">{{ r.word }}</span> {{ r.text }}
        </p>
        <p v-if="r.about" class="about">
          {{ r.about.statement }}. <span class="src">{{ r.rule }} · {{ origin(r.about) }}</span>
        </p>
      </div>
    </div>
    <p v-if="alternatives?.length" class="other">
      Other practice:
      <template v-for="(a, i) in alternatives" :key="a.school">
        <b>{{ a.school }}</b> {{ a.value }}{{ typeof a.value === 'number' && unit ? ' ' + unit : '' }} ({{ a.text }}){{
          i < alternatives.length - 1 ? '; ' : ''
        }}
      </template>
    </p>
    <slot />
  </details>
</template>

<style scoped>
.why {
  border-top: 1px solid var(--rule);
  margin-top: 12px;
}
summary {
  display: flex;
  align-items: center;
  gap: 12px;
  min-height: 44px;
  cursor: pointer;
}
summary::before {
  content: '?';
  width: 20px;
  height: 20px;
  border: 1.5px solid var(--soft);
  border-radius: 50%;
  text-align: center;
  font-size: 13px;
  line-height: 17px;
  flex: none;
}
h2 {
  margin: 0;
  font-size: 16px;
}
.lines {
  display: grid;
  gap: 8px;
}
.line {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 2px 24px;
}
.bound {
  color: var(--copper);
}
.about,
.other {
  font-size: 14px;
}
.src {
  color: var(--soft);
  font-size: 13px;
}
.other {
  margin-top: 8px;
}
@media (max-width: 1000px) {
  .line {
    grid-template-columns: 1fr;
  }
}
</style>
