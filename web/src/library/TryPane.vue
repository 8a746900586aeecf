<script setup lang="ts">
// Try a profile before it is relied on: what a value becomes on the display, and whether writes are taken in this order.
import { computed, ref, watch } from 'vue'
import { api, ApiProblem, type TryOut } from '../api/client'

const props = defineProps<{ profile: Record<string, unknown> }>()
const settings = computed(() => (props.profile.settings as { id: string; label: string; quantity?: string }[] | undefined) ?? [])
const setting = ref('')
const value = ref('')
const writes = ref('')
const out = ref<TryOut | null>(null)
const failure = ref('')
let run = 0
async function attempt() {
  const mine = ++run
  const lines = writes.value
    .split('\n')
    .map((l) => l.split(/\s*[=,]\s*/))
    .filter((p) => p.length === 2 && p[0]?.trim())
    .map(([k, v]) => [k?.trim() ?? '', (v ?? '').trim()])
  try {
    const made = await api.tryProfile({ profile: props.profile, setting: setting.value, value: value.value, writes: lines })
    if (mine === run) {
      out.value = made
      failure.value = ''
    }
  } catch (error) {
    if (mine === run && error instanceof ApiProblem) failure.value = error.message
  }
}
watch([setting, value, writes, () => props.profile], attempt)
</script>

<template>
  <section class="try" aria-label="Try it">
    <h2>Try it</h2>
    <div class="fields">
      <div class="field">
        <label for="try-setting">Setting</label>
        <select id="try-setting" v-model="setting">
          <option value="">choose</option>
          <option v-for="s in settings" :key="s.id" :value="s.id">{{ s.label || s.id }}</option>
        </select>
      </div>
      <div class="field">
        <label for="try-value">Value, in its own unit</label>
        <input id="try-value" v-model="value" placeholder="55.2" />
      </div>
      <p v-if="out && setting && value" class="shown" data-try>
        <template v-if="out.entry.shown"
          >the display shows <b>{{ out.entry.shown }}</b>, which means {{ out.entry.means }}</template
        >
        <span v-if="out.entry.problem" class="why">{{ out.entry.problem }}</span>
      </p>
    </div>
    <label for="try-writes" class="soft small">Writes in order, one a line (setting = value), from factory values</label>
    <textarea id="try-writes" v-model="writes" rows="3" />
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
