<script setup lang="ts">
// A live picture of the line on the device's display: what a figure becomes there, and what the display then means.
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api } from '../api/client'
import KeptInput from '../ui/KeptInput.vue'
import { useQuantities } from './quantities'
import type { OpenProfile } from './use-profile'

const props = defineProps<{ profile: OpenProfile; setting: Record<string, unknown> }>()
const { all } = useQuantities()
const q = computed(() => all.value.get(String(props.setting.quantity ?? '')))
const usual = computed(() => {
  const [low, high] = [Number(props.setting.min), Number(props.setting.max)]
  const scale = Number((props.setting.encoding as { scale?: number } | undefined)?.scale ?? 1)
  return Number.isFinite(low + high) ? String(Number(((low + high) / 2 / scale).toPrecision(4))) : ''
})
const own = ref<string | null>(null)
const value = computed(() => own.value ?? usual.value)
const ready = computed(
  () => props.profile.problems.value.length === 0 && props.profile.draft.value?.ewerer === 'inverter/1' && value.value !== '',
)
const tried = useQuery(
  computed(() => ({
    queryKey: ['display', props.profile.draft.value, props.setting.id, value.value],
    queryFn: () =>
      api.tryProfile({
        profile: props.profile.draft.value as never,
        setting: String(props.setting.id),
        value: value.value,
        writes: [],
      }),
    enabled: ready.value,
    placeholderData: keepPreviousData,
    gcTime: 0,
    retry: false,
  })),
)
const out = computed(() => (ready.value ? tried.data.value?.entry : undefined))
</script>

<template>
  <div class="line">
    <svg viewBox="0 0 300 54" width="300" height="54" role="img" :aria-label="`The display shows ${out?.shown || 'nothing yet'}`">
      <rect x="1" y="1" width="298" height="52" rx="2" fill="var(--raised)" stroke="var(--edge)" />
      <line x1="1" y1="20" x2="299" y2="20" stroke="var(--faint)" />
      <text x="10" y="15" class="name">{{ String(setting.label || 'name') }}</text>
      <text x="290" y="44" text-anchor="end" class="value">{{ out?.shown || '· · ·' }} {{ setting.unit ?? '' }}</text>
    </svg>
    <span class="small">
      <label class="soft"
        >A plan asks for <KeptInput :value="value" class="ask" :pause="500" @commit="(t) => (own = t)" />
        {{ q?.kind === 'soc' || q?.kind === 'level' ? '(a part of one)' : (q?.unit ?? '') }}</label
      >
      <template v-if="out?.problem"
        ><span class="why">{{ out.problem }}</span></template
      >
      <template v-else-if="out?.shown">; the display then means {{ out.means }}.</template>
      <template v-else-if="profile.problems.value.length"> The picture comes when nothing is left to mend.</template>
    </span>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
  margin-bottom: 8px;
}
.name {
  font-size: 12px;
  fill: var(--soft);
}
.value {
  font-size: 21px;
  font-family: 'Source Code Pro', monospace;
  fill: var(--ink);
}
.ask {
  width: 84px;
}
.why {
  color: var(--stop);
}
</style>
