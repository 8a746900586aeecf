<script setup lang="ts">
// An ordinary plan entered on a device that is not there yet: its display, its keys, one entry after the other, and what it refuses.
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { api, ApiProblem } from '../api/client'
import NoticeBar from '../ui/NoticeBar.vue'

const props = defineProps<{ profile: Record<string, unknown> }>()
const asked = ref(false)
const walk = useQuery(
  computed(() => ({
    queryKey: ['walk', props.profile],
    queryFn: () => api.tryPlan(props.profile),
    enabled: asked.value,
    retry: false,
    gcTime: 0,
  })),
)
const steps = computed(() => walk.data.value?.steps ?? [])
const at = ref(0)
watch(steps, () => (at.value = 0))
const now = computed(() => steps.value[at.value])
/** What the display shows: before the value is opened, while it is changed, after it is kept. */
const phase = ref<'menu' | 'open' | 'kept'>('menu')
const keys = computed(() => props.profile.keys as { opens?: string; commits?: string; leaves?: string } | undefined)
const shown = computed(() => (phase.value === 'menu' ? (now.value?.shows ?? '') : (now.value?.enter ?? '')))
function press() {
  if (now.value?.kind === 'action' || phase.value === 'kept') {
    phase.value = 'menu'
    at.value = Math.min(at.value + 1, steps.value.length)
  } else phase.value = phase.value === 'menu' ? 'open' : 'kept'
}
const word = computed(() => {
  if (now.value?.kind === 'action') return 'Done'
  if (phase.value === 'menu') return keys.value?.opens ?? 'Open the value'
  return phase.value === 'open' ? (keys.value?.commits ?? 'Keep it') : 'Next entry'
})
const failure = computed(() => {
  const error = walk.error.value
  return error instanceof ApiProblem ? (error.problems[0]?.message ?? error.detail) : ''
})
</script>

<template>
  <section class="walk" aria-label="Enter an ordinary plan">
    <h2>Enter an ordinary plan on it</h2>
    <p v-if="!asked">
      One device on two usual modules of its class, from factory values: see what would be typed, in which order, and what it
      refuses. <button @click="asked = true">Begin</button>
    </p>
    <p v-else-if="walk.isLoading.value" class="soft" role="status">planning</p>
    <p v-else-if="failure" class="why" role="alert">{{ failure }}</p>
    <template v-else-if="walk.data.value">
      <NoticeBar v-if="walk.data.value.blocked" kind="bad">
        <b>Not all of it can be entered.</b> {{ walk.data.value.blocked.reasons.join(' ') }}
        <span v-for="n in walk.data.value.blocked.nearest" :key="n.setting"
          >“{{ n.label }}”: wanted {{ n.wanted }}, nearest {{ n.nearest }} {{ n.unit }}.
        </span>
      </NoticeBar>
      <div v-if="now" class="device" data-walk>
        <svg
          v-if="now.kind === 'entry'"
          viewBox="0 0 320 96"
          width="320"
          height="96"
          role="img"
          :aria-label="`The display shows ${now.label} ${shown}`"
        >
          <rect x="1" y="1" width="318" height="94" rx="2" fill="var(--raised)" stroke="var(--edge)" />
          <text x="12" y="22" class="path">{{ now.menu.join(' › ').slice(0, 44) }}</text>
          <text x="12" y="50" class="name">{{ now.label.slice(0, 34) }}</text>
          <text x="308" y="84" text-anchor="end" class="value" :class="{ open: phase === 'open' }">
            {{ shown }} {{ now.unit }}
          </text>
        </svg>
        <div>
          <p class="soft small">{{ at + 1 }} of {{ steps.length }} · {{ walk.data.value.writes }} entries</p>
          <p>
            <template v-if="now.kind === 'entry'">
              {{ now.shows ?? 'nothing' }} becomes <b>{{ now.enter }} {{ now.unit }}</b
              ><template v-if="now.temporary">, for now</template>.
              <span v-for="r in now.resets" :key="r.setting">It puts “{{ r.label }}” back to {{ r.to }}. </span>
            </template>
            <template v-else>{{ now.label }}</template>
            <span v-if="now.why" class="soft small why-now">{{ now.why }}</span>
          </p>
          <button class="first" @click="press">{{ word }}</button>
          <button class="plain" :disabled="at === 0" @click="((at -= 1), (phase = 'menu'))">Back</button>
          <button class="plain" @click="((at = steps.length), (phase = 'menu'))">To the end</button>
        </div>
      </div>
      <p v-else data-walked>
        Entered: {{ walk.data.value.writes }} entries, {{ walk.data.value.fits_already.length }} were right already.
        <button class="plain" @click="at = 0">Start again</button>
      </p>
    </template>
  </section>
</template>

<style scoped>
.walk {
  border-top: 1px solid var(--rule);
  padding-top: 10px;
  margin-top: 14px;
}
.device {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 20px;
  align-items: flex-start;
}
.device > div {
  max-width: 520px;
}
svg {
  max-width: 100%;
}
.path {
  font-size: 12px;
  fill: var(--soft);
}
.name {
  font-size: 15px;
  fill: var(--ink);
}
.value {
  font-size: 24px;
  font-family: 'Source Code Pro', monospace;
  fill: var(--ink);
}
.value.open {
  fill: var(--copper);
  text-decoration: underline;
}
.why {
  color: var(--stop);
}
.why-now {
  display: block;
}
</style>
