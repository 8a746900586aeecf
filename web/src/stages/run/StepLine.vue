<script setup lang="ts">
// The line of steps along the busbar: done, now, to come; where a part is long it is folded to its count.
import { computed, nextTick, ref, watch } from 'vue'
import type { Run, RunStep } from '../../api/client'
import { counted } from '../../ui/words'
import type { Standing } from '../../record/standing'

const props = defineProps<{ run: Run; where: Record<string, Standing>; now: string; only?: (s: RunStep) => boolean }>()
const emit = defineEmits<{ step: [id: string] }>()
const WORDS: Record<string, string> = {
  done: 'done',
  overridden: 'overridden',
  skipped: 'left out',
  failed: 'failed',
  open: 'not put back',
  unsure: 'could not be told',
  begun: 'begun',
  ready: 'to do',
  waiting: 'waits',
  blocked: 'blocked',
}
const parts = computed(() =>
  props.run.sections
    .map((s) => {
      const steps = props.run.steps.filter((x) => x.section === s.id && (props.only?.(x) ?? true))
      const done = steps.filter((x) => ['done', 'overridden', 'skipped'].includes(props.where[x.id] ?? '')).length
      return { ...s, steps, done, bad: steps.filter((x) => ['failed', 'open'].includes(props.where[x.id] ?? '')).length }
    })
    .filter((s) => s.steps.length),
)
const section = computed(() => props.run.steps.find((s) => s.id === props.now)?.section ?? '')
const shown = ref<Set<string>>(new Set())
// The part that is now is unfolded; the others can be.
watch(section, (s) => (shown.value = new Set([s])), { immediate: true })
function fold(id: string) {
  const next = new Set(shown.value)
  if (!next.delete(id)) next.add(id)
  shown.value = next
}
/** Parts that are done and not open: one line for all of them. */
const behind = computed(() => parts.value.filter((p) => p.done === p.steps.length && !shown.value.has(p.id)).map((p) => p.id))
const past = ref(false)
/** Parts to come, not begun: one line for all of them too. */
const ahead = computed(() => {
  const begun = parts.value.map((p) => p.done > 0 || p.bad > 0 || shown.value.has(p.id))
  return parts.value.slice(begun.lastIndexOf(true) + 1).map((p) => p.id)
})
const future = ref(false)
const here = computed(() =>
  parts.value.filter(
    (p) =>
      (past.value || behind.value.length < 2 || !behind.value.includes(p.id)) &&
      (future.value || ahead.value.length < 2 || !ahead.value.includes(p.id)),
  ),
)
const list = ref<HTMLElement>()
watch(
  () => props.now,
  async () => {
    await nextTick()
    list.value?.querySelector('[aria-current]')?.scrollIntoView?.({ block: 'nearest' })
  },
  { immediate: true },
)
</script>

<template>
  <nav ref="list" class="line" aria-label="Steps of the run">
    <button v-if="behind.length > 1" class="part" :aria-expanded="past" @click="past = !past">
      <span>{{ counted(behind.length, 'part') }} done</span>
      <span class="count">{{ past ? 'fold' : 'show' }}</span>
    </button>
    <section v-for="p in here" :key="p.id">
      <button class="part" :aria-expanded="shown.has(p.id)" @click="fold(p.id)">
        <span>{{ p.word }}</span>
        <span class="count" :class="{ bad: p.bad }">{{
          p.done === p.steps.length ? 'done' : p.done || shown.has(p.id) ? `${p.done} of ${p.steps.length}` : ''
        }}</span>
      </button>
      <ol v-if="shown.has(p.id)">
        <li v-for="s in p.steps" :key="s.id">
          <button
            class="step"
            :class="[where[s.id], { now: s.id === now }]"
            :aria-current="s.id === now ? 'step' : undefined"
            :data-line="s.id"
            @click="emit('step', s.id)"
          >
            <svg width="30" height="30" viewBox="0 0 30 30" aria-hidden="true">
              <rect
                v-if="['overridden', 'skipped'].includes(where[s.id] ?? '')"
                x="9"
                y="9"
                width="12"
                height="12"
                transform="rotate(45 15 15)"
              />
              <path v-else-if="['failed', 'open'].includes(where[s.id] ?? '')" d="M10 6h10l5 5v8l-5 5h-10l-5-5v-8z" />
              <circle v-else cx="15" cy="15" :r="s.id === now ? 9 : 6.5" />
              <circle
                v-if="s.id === now && !['failed', 'open', 'overridden', 'skipped'].includes(where[s.id] ?? '')"
                class="dot"
                cx="15"
                cy="15"
                r="3.2"
              />
            </svg>
            <span>
              {{ s.title }}
              <small v-if="s.id === now || ['failed', 'open', 'overridden', 'skipped', 'unsure'].includes(where[s.id] ?? '')">{{
                s.id === now && where[s.id] === 'ready' ? 'now' : WORDS[where[s.id] ?? '']
              }}</small>
              <span class="visually-hidden">{{ WORDS[where[s.id] ?? ''] }}</span>
            </span>
          </button>
        </li>
      </ol>
    </section>
    <button v-if="ahead.length > 1" class="part" :aria-expanded="future" @click="future = !future">
      <span>{{ counted(ahead.length, 'part') }} to come</span>
      <span class="count">{{ future ? 'fold' : 'show' }}</span>
    </button>
  </nav>
</template>

<style scoped>
.line {
  overflow-y: auto;
  height: 100%;
  padding: 6px 0 30px;
  background: linear-gradient(var(--copper), var(--copper)) 25px 0 / 3px 100% no-repeat local;
}
.part {
  display: flex;
  justify-content: space-between;
  width: 100%;
  border: none;
  background: none;
  padding: 0 12px 0 50px;
  min-height: 40px;
  font-weight: 700;
  font-size: 13px;
  color: var(--soft);
}
.count {
  font-weight: 400;
}
.bad {
  color: var(--stop);
  font-weight: 700;
}
ol {
  list-style: none;
  margin: 0;
  padding: 0;
}
.step {
  display: grid;
  grid-template-columns: 30px 1fr;
  gap: 8px;
  width: 100%;
  border: none;
  background: none;
  border-radius: 0;
  padding: 3px 10px 3px 12px;
  min-height: 40px;
  text-align: left;
  color: var(--ink);
  line-height: 1.25;
}
.step.now {
  background: var(--sheet);
  font-weight: 700;
}
small {
  display: block;
  font-weight: 400;
  color: var(--soft);
}
circle,
rect,
path {
  fill: var(--paper);
  stroke: var(--soft);
  stroke-width: 2;
}
.done circle {
  fill: var(--bank);
  stroke: var(--bank);
}
.done,
.waiting,
.blocked {
  color: var(--soft);
}
.overridden rect,
.skipped rect {
  stroke: var(--caution);
  stroke-width: 2.5;
}
.overridden small,
.skipped small,
.unsure small {
  color: var(--caution);
}
.failed path,
.open path {
  fill: var(--stop);
  stroke: var(--stop);
}
.failed small,
.open small {
  color: var(--stop);
}
.waiting circle,
.blocked circle {
  stroke: var(--rule);
  stroke-dasharray: 3 3;
}
.now circle {
  stroke: var(--copper);
  stroke-width: 3.5;
  stroke-dasharray: none;
}
.now .dot {
  fill: var(--copper);
  stroke: none;
}
</style>
