<!-- Firmware found, what the lists say of it, and what the person says. -->
<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import { vStack } from '../../ui/stack'
import { computed } from 'vue'
import { useJob } from '../../job/use-job'
import KeptInput from '../../ui/KeptInput.vue'
import PickField from '../../ui/PickField.vue'
import StateMark from '../../ui/StateMark.vue'

const job = useJob()
const link = computed(() => job.plan.value?.link)
interface Note {
  profile: string
  version: string
  verdict: 'good' | 'bad'
  why?: string
}
const notes = computed(() => (job.at('/link/firmware_notes') as Note[] | undefined) ?? [])
const noteOf = (f: { profile: string; version?: string | null }) =>
  notes.value.find((n) => n.profile === f.profile && n.version === f.version)
function note(f: { profile: string; version?: string | null }, verdict: string, why?: string) {
  if (!f.version) return
  const rest = notes.value.filter((n) => !(n.profile === f.profile && n.version === f.version))
  const next: Note[] =
    verdict === ''
      ? rest
      : [...rest, { profile: f.profile, version: f.version, verdict: verdict as 'good' | 'bad', ...(why ? { why } : {}) }]
  job.set('/link/firmware_notes', next.length ? next : undefined)
}
const VERDICT: Record<string, string> = {
  good: 'known good',
  bad: 'known bad',
  unknown: 'not on the list',
  'not-noted': 'not noted',
}
const firmware = computed(() => {
  const seen = new Map<string, { devices: string[]; row: NonNullable<typeof link.value>['firmware'][number] }>()
  for (const f of link.value?.firmware ?? []) {
    const key = `${f.profile} ${f.version}`
    const had = seen.get(key)
    if (had) had.devices.push(f.device)
    else seen.set(key, { devices: [f.device], row: f })
  }
  return [...seen.values()]
})
</script>

<template>
  <FoldPart
    v-if="firmware.length"
    name="link:firmware"
    title="Firmware"
    :says="firmware.map((f) => f.row.version ?? 'not noted').join(', ')"
  >
    <table v-stack>
      <thead>
        <tr>
          <th>Devices</th>
          <th>Version</th>
          <th>List says</th>
          <th>You say</th>
          <th>Why</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ devices, row } in firmware" :key="devices.join()">
          <td>{{ devices.join(', ') }}</td>
          <td>{{ row.version ?? 'read it' }}</td>
          <td>
            <StateMark :state="row.verdict === 'good' ? 'ok' : row.verdict === 'bad' ? 'caution' : 'open'" />
            {{ VERDICT[row.verdict]
            }}<span v-if="row.known_good.length" class="soft small"> · good: {{ row.known_good.join(', ') }}</span>
            <span v-if="row.why" class="small"><br />{{ row.why }}</span>
          </td>
          <td>
            <PickField
              v-if="row.version"
              class="verdict-pick"
              :label="`Your verdict on ${row.version}`"
              :model-value="noteOf(row)?.verdict ?? ''"
              :choices="[
                ['', 'nothing'],
                ['good', 'good'],
                ['bad', 'bad'],
              ]"
              @pick="(v) => note(row, String(v), noteOf(row)?.why)"
            />
          </td>
          <td>
            <KeptInput
              v-if="noteOf(row)"
              :aria-label="`Why, for ${row.version}`"
              :value="noteOf(row)?.why ?? ''"
              @commit="(text) => note(row, noteOf(row)?.verdict ?? '', text)"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </FoldPart>
</template>
