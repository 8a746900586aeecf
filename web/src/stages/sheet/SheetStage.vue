<script setup lang="ts">
import { ElTabPane, ElTabs } from 'element-plus'
import 'element-plus/theme-chalk/el-tab-pane.css'
import 'element-plus/theme-chalk/el-tabs.css'
import ViewTabs from '../../ui/ViewTabs.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import CautionLine from '../../ui/CautionLine.vue'
import { computed, ref, watch } from 'vue'
import { useJob } from '../../job/use-job'
import AgreementTable from './AgreementTable.vue'
import AsFoundTable from './AsFoundTable.vue'
import TriedTable from './TriedTable.vue'
import WorkingList from './WorkingList.vue'

const job = useJob()
const emit = defineEmits<{ go: [pointer: string] }>()
const units = computed(() => [...(job.plan.value?.units ?? []), ...(job.plan.value?.devices ?? [])])
const chosen = ref(sessionStorage.getItem(`ewerer:unit:${job.id}`) ?? '')
watch(chosen, (id) => sessionStorage.setItem(`ewerer:unit:${job.id}`, id))
const unit = computed(() => units.value.find((u) => u.id === chosen.value) ?? units.value[0])
const shownUnit = computed({ get: () => unit.value?.id ?? '', set: (id: string) => (chosen.value = id) })
const tab = ref<'list' | 'found' | 'tried' | 'agree' | 'presets'>('list')
const TABS: [typeof tab.value, string][] = [
  ['list', 'Working list'],
  ['found', 'As found'],
  ['tried', 'Tried'],
  ['agree', 'Agreement'],
  ['presets', 'Presets'],
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
const KIND: Record<string, string> = { 'sun-charger': 'sun', module: 'battery', controller: 'controller' }
</script>

<template>
  <h1>Sheet</h1>
  <p class="lede">What to type into each device, in this order. Enter marks a line done and moves on.</p>
  <template v-if="unit">
    <CautionLine v-if="blocked" stop>
      <b>Do not energise:</b> {{ blocked.title }}.
      <button class="link" @click="emit('go', blocked.at)">show</button>
    </CautionLine>
    <CautionLine>
      Note what a unit shows before changing it. Installer settings are for licensed people; the maker's manual decides.
    </CautionLine>
    <div class="tabs">
      <ElTabs v-model="shownUnit" class="units" aria-label="Devices">
        <ElTabPane v-for="u in units" :key="u.id" :name="u.id">
          <template #label>
            <b>{{ u.id }}</b> {{ KIND[u.kind ?? ''] ?? (units.length > 4 && u.role === 'follower' ? '' : u.role) }}
            <span class="soft">{{ done(u.id) }} done{{ units.length > 4 ? '' : ` · ${found(u.id)} noted` }}</span>
          </template>
        </ElTabPane>
      </ElTabs>
      <span class="gap" />
      <a class="button" :href="`/api/jobs/${job.id}/sheets/${unit.id}/pdf`" download>PDF</a>
      <a
        v-for="f in ['csv', 'xlsx', 'json']"
        :key="f"
        class="button"
        :href="`/api/jobs/${job.id}/sheets/${unit.id}?format=${f}`"
        download
        >{{ f.toUpperCase() }}</a
      >
    </div>
    <ViewTabs v-model="tab" :tabs="TABS" label="Views of the sheet">
      <template #list><WorkingList :key="unit.id" :sheet="unit" @found="tab = 'found'" /></template>
      <template #found><AsFoundTable :key="unit.id + 'f'" :unit="unit.id" :sheet="unit" /></template>
      <template #tried><TriedTable /></template>
      <template #agree><AgreementTable /></template>
      <template #presets>
        <EmptyNote v-if="!presets.length">This model ships no presets; its battery is user-defined or by protocol.</EmptyNote>
        <section v-for="p in presets" :key="p.preset" class="preset">
          <h2>{{ p.preset }}: {{ p.fits ? 'would do' : 'does not do' }}</h2>
          <p v-if="p.fits" class="soft">Each of its values passes the same rules as the plan.</p>
          <ul v-else>
            <li v-for="m in p.misfits" :key="m.quantity">{{ m.text }}</li>
          </ul>
        </section>
      </template>
    </ViewTabs>
  </template>
  <EmptyNote v-else>A sheet follows once bank and units are there and the thresholds fit. See the findings.</EmptyNote>
</template>

<style scoped>
.tabs,
.tablist {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.tabs {
  margin: 10px 0 0;
}
.tabs [aria-selected='true'] {
  background: var(--ink);
  border-color: var(--ink);
  color: var(--sheet);
}
.tabs [aria-selected='true'] .soft {
  color: inherit;
}
.views {
  border-bottom: 1px solid var(--rule);
  margin-bottom: 8px;
}
.views button {
  border-bottom: 3px solid transparent;
  border-radius: 0;
}
.views [aria-selected='true'] {
  border-bottom-color: var(--copper);
  font-weight: 650;
}
.gap {
  flex: 1;
}
.units {
  max-width: 100%;
}
@media (max-width: 900px) {
  .tabs .button {
    padding: 0 9px;
  }
}
.preset ul {
  margin: 4px 0 12px;
}
.stop-line {
  background: var(--stop-wash);
  border-left: 3px solid var(--stop);
  padding: 8px 12px;
  margin-bottom: 6px;
}
</style>
