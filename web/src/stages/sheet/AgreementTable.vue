<script setup lang="ts">
// All parallel units side by side. Copying makes entries on the sheets of the others; nothing is changed silently.
import { vStack } from '../../ui/stack'
import TickBox from '../../ui/TickBox.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import { computed, ref } from 'vue'
import StateMark from '../../ui/StateMark.vue'
import { useJob } from '../../job/use-job'

const job = useJob()
const onlyOdd = ref(false)
const rows = computed(() => (job.plan.value?.agreement ?? []).filter((r) => !onlyOdd.value || r.agrees === false))
const units = computed(() => (job.plan.value?.units ?? []).map((u) => u.id))
const SCOPE: Record<string, string> = { 'same-on-all': 'same on all', host: 'host only', own: 'its own' }
const extra = (unit: string, setting: string) => job.at(`/extra_entries/${unit}/${setting}`) as string | undefined
/** How many units do not show yet what is planned for them; null where nothing is planned or nothing was noted. */
function planned(r: { planned: Record<string, string | null>; shown: Record<string, string | null> }): number | null {
  const asked = units.value.filter((u) => r.planned[u] != null && r.shown[u] != null)
  return asked.length ? asked.filter((u) => r.planned[u] !== r.shown[u]).length : null
}
function copy(setting: string, from: string, value: string, planned: Record<string, string | null>) {
  job.setAll(
    units.value
      .filter((u) => u !== from && planned[u] == null)
      .map((u) => [`/extra_entries/${u}/${setting}`, value] as [string, unknown]),
  )
}
const drop = (setting: string) =>
  job.setAll(units.value.filter((u) => extra(u, setting)).map((u) => [`/extra_entries/${u}/${setting}`, undefined]))
</script>

<template>
  <p class="soft">What each unit was found to show. Same-on-all settings that differ are findings.</p>
  <EmptyNote v-if="!job.plan.value?.agreement?.length">
    Note what two or more units show; they are laid side by side here.
  </EmptyNote>
  <template v-else>
    <TickBox class="only" label="Only those that differ" :checked="onlyOdd" @change="(on) => (onlyOdd = on)" />
    <div class="scroll" tabindex="0" aria-label="Agreement table">
      <table v-stack data-agreement>
        <thead>
          <tr>
            <th>Setting</th>
            <th>Scope</th>
            <th v-for="u in units" :key="u" class="num">{{ u }}</th>
            <th>Agree</th>
            <th>As planned</th>
            <th><span class="visually-hidden">Copy</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.profile + r.setting" :class="{ odd: r.agrees === false }">
            <td>
              {{ r.label }} <span class="soft small">{{ r.menu.join(' › ') }}</span>
            </td>
            <td class="small">{{ SCOPE[r.scope] }}</td>
            <td v-for="u in units" :key="u" class="num">
              {{ r.shown[u] ?? 'not noted' }}
              <span v-if="r.planned[u] && r.planned[u] !== r.shown[u]" class="soft small what">to be {{ r.planned[u] }}</span>
            </td>
            <td data-agree>
              <StateMark v-if="r.agrees !== null" :state="r.agrees ? 'ok' : 'caution'" /> <span class="small">{{ r.text }}</span>
            </td>
            <td data-as-planned>
              <template v-if="planned(r) !== null">
                <StateMark :state="planned(r) ? 'caution' : 'ok'" />
                <span class="small">{{ planned(r) ? `${planned(r)} to enter` : 'as planned' }}</span>
              </template>
              <span v-else class="soft small">not planned</span>
            </td>
            <td class="num">
              <template v-if="r.scope === 'same-on-all' && r.agrees === false">
                <button v-if="units.some((u) => extra(u, r.setting))" @click="drop(r.setting)">Drop copies</button>
                <template v-else>
                  <button
                    v-for="u in units.filter((x) => r.shown[x] && units.some((y) => y !== x && r.planned[y] == null))"
                    :key="u"
                    :aria-label="`Copy ${r.label} of ${u} to all`"
                    @click="copy(r.setting, u, r.shown[u] ?? '', r.planned)"
                  >
                    Copy {{ u }} to all
                  </button>
                </template>
              </template>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.only {
  display: inline-flex;
  gap: 8px;
  align-items: center;
  min-height: 40px;
}
.only input {
  width: 20px;
  height: 20px;
  min-height: 20px;
  accent-color: var(--copper);
}
.what {
  display: block;
}
.odd td {
  background: color-mix(in srgb, var(--caution) 10%, transparent);
}
</style>
