<script setup lang="ts">
// Try a profile before it is relied on: what a value becomes on the display, and whether writes are taken in this order.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import PickField from '../ui/PickField.vue'
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { api, ApiProblem } from '../api/client'

const props = defineProps<{ profile: Record<string, unknown> }>()
const settings = computed(() => (props.profile.settings as { id: string; label: string; quantity?: string }[] | undefined) ?? [])
const setting = ref('')
const value = ref('')
const writes = ref('')
const lines = computed(() =>
  writes.value
    .split('\n')
    .map((l) => l.split(/\s*[=,]\s*/))
    .filter((p) => p.length === 2 && p[0]?.trim())
    .map(([k, v]) => ({ setting: k?.trim() ?? '', value: (v ?? '').trim() })),
)
const tried = useQuery(
  computed(() => ({
    queryKey: ['try', props.profile, setting.value, value.value, lines.value],
    queryFn: () => api.tryProfile({ profile: props.profile, setting: setting.value, value: value.value, writes: lines.value }),
    enabled: setting.value !== '' || lines.value.length > 0,
    placeholderData: keepPreviousData,
    gcTime: 0,
  })),
)
const out = computed(() => tried.data.value ?? null)
const failure = computed(() => (tried.error.value instanceof ApiProblem ? tried.error.value.message : ''))
</script>

<template>
  <section class="try" aria-label="Try it">
    <h2>Try it</h2>
    <div class="fields">
      <div class="field">
        <label for="try-setting">Setting</label>
        <PickField
          id="try-setting"
          v-model="setting"
          label="Setting"
          placeholder="choose"
          :choices="settings.map((s) => [s.id, s.label || s.id] as const)"
        />
      </div>
      <div class="field">
        <label for="try-value">Value, in its own unit</label>
        <ElInput id="try-value" v-model="value" placeholder="55.2" :validate-event="false" />
      </div>
      <p v-if="out && setting && value" class="shown" data-try>
        <template v-if="out.entry.shown"
          >the display shows <b>{{ out.entry.shown }}</b>, which means {{ out.entry.means }}</template
        >
        <span v-if="out.entry.problem" class="why">{{ out.entry.problem }}</span>
      </p>
    </div>
    <label for="try-writes" class="soft small">Writes in order, one a line (setting = value), from factory values</label>
    <ElInput id="try-writes" v-model="writes" type="textarea" :rows="3" :validate-event="false" />
    <ol v-if="out?.writes.length" data-writes>
      <li v-for="(w, i) in out.writes" :key="i" :class="{ no: !w.taken }">
        {{ w.setting }} = {{ w.value }}: {{ w.taken ? 'taken' : 'refused' }}<span v-if="w.text">, {{ w.text }}</span>
      </li>
    </ol>
    <p v-if="failure" class="why" role="alert">{{ failure }}</p>
  </section>
</template>

<style scoped>
.try {
  border-top: 2px solid var(--ink);
  padding-top: 10px;
  margin-top: 14px;
}
.field {
  display: grid;
}
label {
  font-size: 13px;
  color: var(--soft);
}
.shown {
  padding-top: 28px;
}
textarea {
  width: 100%;
  max-width: 560px;
  display: block;
}
.no,
.why {
  color: var(--stop);
}
</style>
