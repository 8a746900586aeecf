<script setup lang="ts">
// The windows as rows to type in.
import { counted } from '../../ui/words'
import FoldPart from '../../ui/FoldPart.vue'
import { vStack } from '../../ui/stack'
import ChoiceField from '../../ui/ChoiceField.vue'
import EmptyNote from '../../ui/EmptyNote.vue'
import NumberField from '../../ui/NumberField.vue'
import TextField from '../../ui/TextField.vue'
import PickField from '../../ui/PickField.vue'
import { useJob } from '../../job/use-job'
import type { Season, Win } from './ribbon'

defineProps<{ windows: Win[]; seasons: Season[]; chosen: number | null }>()
const job = useJob()
const emit = defineEmits<{ choose: [index: number]; remove: [index: number] }>()
</script>

<template>
  <FoldPart
    name="windows:list"
    title="Windows"
    :says="windows.length ? counted(windows.length, 'window') : 'none'"
    pointer="/windows"
    :class="{ seasonal: seasons.length }"
  >
    <slot />
    <EmptyNote v-if="!windows.length">No window yet: the units do what their source order says, all day.</EmptyNote>
    <table v-else v-stack="['No']">
      <thead>
        <tr>
          <th class="num">No</th>
          <th>From</th>
          <th>To</th>
          <th>Days</th>
          <th>Do</th>
          <th>Target</th>
          <th>Power</th>
          <th v-if="seasons.length">Season</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr
          v-for="(w, i) in windows"
          :key="i"
          :data-pointer="`/windows/${i}`"
          tabindex="-1"
          :class="{ chosen: chosen === i }"
          @focusin="emit('choose', i)"
        >
          <td class="num">{{ i + 1 }}</td>
          <td><TextField :path="`/windows/${i}/from`" :label="`Window ${i + 1} from`" bare needed class="time" /></td>
          <td><TextField :path="`/windows/${i}/to`" :label="`Window ${i + 1} to`" bare needed class="time" /></td>
          <td>
            <TextField :path="`/windows/${i}/days`" :label="`Window ${i + 1} days`" bare class="daytext" />
          </td>
          <td>
            <ChoiceField :path="`/windows/${i}/action`" :label="`Window ${i + 1} action`" select bare class="action" />
          </td>
          <td>
            <NumberField v-if="w.action !== 'hold'" :path="`/windows/${i}/target_soc`" :label="`Window ${i + 1} target`" bare />
          </td>
          <td>
            <NumberField v-if="w.action !== 'hold'" :path="`/windows/${i}/power_w`" :label="`Window ${i + 1} power`" bare />
          </td>
          <td v-if="seasons.length">
            <span v-if="w.from_date" class="soft">{{ w.from_date }} to {{ w.to_date }}</span>
            <PickField
              v-else
              :model-value="w.season ?? ''"
              :choices="[['', 'all year'], ...seasons.map((s) => [s.name, s.name] as const)]"
              :label="`Window ${i + 1} season`"
              class="season"
              @pick="(v) => job.set(`/windows/${i}/season`, v === '' ? undefined : v)"
            />
          </td>
          <td><button class="plain" :aria-label="`Remove window ${i + 1}`" @click="emit('remove', i)">Remove</button></td>
        </tr>
      </tbody>
    </table>
  </FoldPart>
</template>

<style scoped>
.time :deep(.text) {
  width: 84px;
}
.daytext :deep(.text) {
  width: 96px;
}
.season {
  width: 104px;
}
.list {
  margin-top: 18px;
}
.list td,
.list th {
  padding-left: 0;
  padding-right: 6px;
}
.list :deep(.number) {
  width: 96px;
}
.list td:last-child button {
  padding: 0 4px;
}
tr.chosen td {
  background: var(--copper-wash);
}
.action :deep(.pick) {
  width: 172px;
}
@media (max-width: 1000px) {
  .time :deep(.text) {
    width: 72px;
  }
  .daytext :deep(.text) {
    width: 84px;
  }
  .action :deep(.pick) {
    width: 156px;
  }
  .list :deep(.number) {
    width: 92px;
  }
}
.seasonal :deep(.action .pick) {
  width: 118px;
}
.seasonal :deep(.number) {
  width: 70px;
}
.seasonal .time :deep(.text) {
  width: 66px;
}
.seasonal .daytext :deep(.text) {
  width: 72px;
}
</style>
