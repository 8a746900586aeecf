<script setup lang="ts">
import FoldPart from '../../ui/FoldPart.vue'
import StageHead from '../../ui/StageHead.vue'
import ViewTabs from '../../ui/ViewTabs.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, nextTick, ref, watch } from 'vue'
import { counted } from '../../ui/words'
import { useJob } from '../../job/use-job'
import AgreementTable from './AgreementTable.vue'
import AsFoundTable from './AsFoundTable.vue'
import PrintedNote from './PrintedNote.vue'
import TriedTable from './TriedTable.vue'
import WorkingList from './WorkingList.vue'

const job = useJob()
const emit = defineEmits<{ go: [pointer: string] }>()
const units = computed(() => [...(job.plan.value?.units ?? []), ...(job.plan.value?.devices ?? [])])
const chosen = ref(sessionStorage.getItem(`ewerer:unit:${job.id}`) ?? '')
watch(chosen, (id) => sessionStorage.setItem(`ewerer:unit:${job.id}`, id))
const unit = computed(() => units.value.find((u) => u.id === chosen.value) ?? units.value[0])
/** What the device that is open asks for next. */
const next = ref({ says: '', rests: '' })
const tab = ref<'list' | 'found' | 'more'>('list')
const TABS: [typeof tab.value, string][] = [
  ['list', 'Working list'],
  ['found', 'As found'],
  ['more', 'Checks and files'],
]
// Whoever is sent here sees the unit and the view that hold what they came for.
watch(
  job.aim,
  (pointer) => {
    const [, part, id] = pointer.split('/')
    if (part !== 'as_found' && part !== 'sheet_marks') return
    if (id) chosen.value = id
    tab.value = part === 'as_found' ? 'found' : 'list'
  },
  { immediate: true },
)
const done = (id: string) => Object.keys((job.at('/sheet_marks/' + id) as object | undefined) ?? {}).length
const found = (id: string) => Object.keys((job.at('/as_found/' + id) as object | undefined) ?? {}).length
const blocked = computed(() => job.plan.value?.findings.find((f) => f.severity === 'stop'))
const presets = computed(() => (job.plan.value?.presets ?? []).filter((p) => p.profile === unit.value?.profile))
/** What sets each device's sheet apart from that of the first of its model, by the device's id. */
const unlike = computed(() => {
  const firsts = new Map<string | undefined, { id: string; entries: Map<string, string> }>()
  const out: Record<string, string> = {}
  for (const u of units.value) {
    const first = firsts.get(u.profile)
    if (first) {
      const differ = u.settings.filter((r) => first.entries.get(r.setting) !== r.entry).length
      out[u.id] = differ ? `as ${first.id}, ${counted(differ, 'line')} differ` : `same as ${first.id}`
    } else firsts.set(u.profile, { id: u.id, entries: new Map(u.settings.map((r) => [r.setting, r.entry])) })
  }
  return out
})
const KIND: Record<string, string> = { 'sun-charger': 'sun', module: 'battery', controller: 'controller' }
/** Up and down among the devices. */
function turnTo(event: KeyboardEvent) {
  const by = { ArrowDown: 1, ArrowRight: 1, ArrowUp: -1, ArrowLeft: -1 }[event.key]
  if (by === undefined) return
  event.preventDefault()
  const i = units.value.findIndex((u) => u.id === unit.value?.id)
  chosen.value = units.value[(i + by + units.value.length) % units.value.length]?.id ?? chosen.value
  const list = (event.currentTarget as HTMLElement).parentElement
  void nextTick(() => list?.querySelector<HTMLElement>('[aria-selected="true"]')?.focus())
}
</script>

<template>
  <StageHead stage="sheet" :answer="unit ? (tab === 'list' ? next.says : '') : 'No sheet can be made yet.'" rests="">
    <span v-if="!unit">A sheet follows once bank and units are there and the thresholds fit. See the findings.</span>
    <span v-else class="line">
      <span v-if="tab === 'list'" role="status">{{ next.rests }}</span>
      <PrintedNote :sheet="unit" />
    </span>
  </StageHead>
  <div v-if="unit" class="sheet">
    <div class="devices" role="tablist" aria-label="Devices" aria-orientation="vertical">
      <button
        v-for="u in units"
        :key="u.id"
        role="tab"
        :aria-selected="u.id === unit.id"
        :tabindex="u.id === unit.id ? 0 : -1"
        @click="chosen = u.id"
        @keydown="turnTo"
      >
        <span
          ><b>{{ u.id }}</b> {{ KIND[u.kind ?? ''] ?? u.role }}</span
        >
        <span class="soft small">{{ done(u.id) }} done{{ found(u.id) ? `, ${found(u.id)} noted` : '' }}</span>
        <span v-if="unlike[u.id]" class="soft small">{{ unlike[u.id] }}</span>
        <span class="bar" aria-hidden="true"
          ><i :style="{ width: `${Math.min(100, (100 * done(u.id)) / Math.max(1, u.settings.length))}%` }"
        /></span>
      </button>
    </div>
    <div class="one">
      <CautionLine v-if="blocked" stop>
        <b>Do not energise:</b> {{ blocked.title }}.
        <button class="link" @click="emit('go', blocked.at)">show</button>
      </CautionLine>
      <ViewTabs v-model="tab" :tabs="TABS" label="Views of the sheet">
        <template #list><WorkingList :key="unit.id" :sheet="unit" @found="tab = 'found'" @next="(n) => (next = n)" /></template>
        <template #found><AsFoundTable :key="unit.id + 'f'" :unit="unit.id" :sheet="unit" /></template>
        <template #more>
          <FoldPart name="sheet:agreement" title="Do the units agree" says="what each shows, side by side" begins
            ><AgreementTable
          /></FoldPart>
          <FoldPart name="sheet:tried" title="What was tried" says="what the units do in each situation"><TriedTable /></FoldPart>
          <FoldPart name="sheet:presets" title="Presets" says="whether a shipped preset would do">
            <EmptyNote v-if="!presets.length">This model ships no presets; its battery is user-defined or by protocol.</EmptyNote>
            <section v-for="p in presets" :key="p.preset" class="preset">
              <h2>{{ p.preset }}: {{ p.fits ? 'would do' : 'does not do' }}</h2>
              <p v-if="p.fits" class="soft">Each of its values passes the same rules as the plan.</p>
              <ul v-else>
                <li v-for="m in p.misfits" :key="m.quantity">{{ m.text }}</li>
              </ul>
            </section>
          </FoldPart>
          <FoldPart name="sheet:files" title="Files" says="CSV, XLSX, JSON">
            <div class="files">
              <a
                v-for="f in ['csv', 'xlsx', 'json']"
                :key="f"
                class="button"
                :href="`/api/jobs/${job.id}/sheets/${unit.id}?format=${f}`"
                download
                >{{ f.toUpperCase() }}</a
              >
            </div>
          </FoldPart>
        </template>
      </ViewTabs>
    </div>
  </div>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-columns: 164px minmax(0, 1fr);
  gap: 0 24px;
}
.devices {
  display: grid;
  align-content: start;
  gap: 4px;
}
.devices button {
  display: grid;
  gap: 2px;
  justify-items: start;
  width: 100%;
  padding: 8px 10px;
  border-color: transparent;
  border-left: 3px solid transparent;
  background: none;
  text-align: left;
}
.devices [aria-selected='true'] {
  background: var(--raised);
  border-left-color: var(--copper);
}
.bar {
  width: 100%;
  height: 4px;
  background: var(--faint);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--bank);
}
.line {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 4px 16px;
}
.files {
  display: flex;
  gap: 8px;
}
.preset ul {
  margin: 4px 0 12px;
}
@media (max-width: 900px) {
  .sheet {
    grid-template-columns: minmax(0, 1fr);
  }
  .devices {
    display: flex;
    flex-wrap: wrap;
    margin-bottom: 8px;
  }
  .devices button {
    width: auto;
  }
}
</style>
