<script setup lang="ts">
// The plate of a device in plain words, errors beside their field.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { computed } from 'vue'
import KeptInput from '../ui/KeptInput.vue'
import NumberInput from '../ui/NumberInput.vue'
import TickBox from '../ui/TickBox.vue'
import { readFigure } from '../ui/prefs'
import PickField from '../ui/PickField.vue'
import { PLATES, type PlateField } from './plate-fields'
import { idFrom, type OpenProfile } from './use-profile'

const props = defineProps<{ profile: OpenProfile; frozen: boolean; only?: PlateField[] }>()
const fields = computed(() => props.only ?? PLATES[String(props.profile.draft.value?.ewerer)] ?? [])
const id = (f: PlateField) => `plate${f.pointer.replace(/\W+/g, '-')}`
function wrong(f: PlateField): string {
  const said = props.profile.problems.value.find((p) => p.pointer === f.pointer || p.pointer.startsWith(`${f.pointer}/`))
  const own = props.profile.at(f.pointer)
  // What is still to come is no error; it is marked, and the check pane counts it.
  return said && own !== undefined && own !== '' ? said.words : ''
}
function text(f: PlateField, value: string) {
  const now = props.profile
  if (f.pointer === '/name' && now.fresh.value && String(now.at('/id') ?? '') === idFrom(String(now.at('/name') ?? '')))
    now.setAll([
      ['/name', value],
      ['/id', idFrom(value)],
    ])
  else now.set(f.pointer, value)
}
function many(f: PlateField, value: string) {
  const list = value
    .split(/[,;/]|\band\b/)
    .map((part) => readFigure(part, f.unit ?? '').value)
    .filter((v): v is number => v !== undefined)
  props.profile.set(f.pointer, list.length ? list : undefined)
}
const scaled = (f: PlateField) => {
  const held = props.profile.at(f.pointer)
  return typeof held === 'number' && f.scale ? Number((held * f.scale).toPrecision(9)) : held
}
const listed = (f: PlateField) => ((props.profile.at(f.pointer) as number[] | undefined) ?? []).join(', ')
</script>

<template>
  <div class="plate">
    <div v-for="f in fields" :key="f.pointer" class="field" :class="{ wide: f.kind === 'text' }">
      <TickBox
        v-if="f.kind === 'switch'"
        :label="f.label"
        :checked="Boolean(profile.at(f.pointer))"
        :disabled="frozen"
        @change="(on) => profile.set(f.pointer, on)"
      />
      <template v-else>
        <label :for="id(f)"
          >{{ f.label }}<span v-if="f.needed && !frozen" class="need" aria-hidden="true" title="needed"> ·</span></label
        >
        <span v-if="f.hint" :id="`${id(f)}-hint`" class="hint">{{ f.hint }}</span>
        <ElInput
          v-if="f.kind === 'text'"
          :id="id(f)"
          :aria-describedby="f.hint ? `${id(f)}-hint` : undefined"
          :model-value="String(profile.at(f.pointer) ?? '')"
          :disabled="frozen || (f.pointer === '/id' && !profile.fresh.value)"
          :aria-invalid="!!wrong(f)"
          :validate-event="false"
          @input="(v: string) => text(f, v)"
        />
        <PickField
          v-else-if="f.kind === 'choice'"
          :id="id(f)"
          :aria-describedby="f.hint ? `${id(f)}-hint` : undefined"
          :label="f.label"
          :disabled="frozen"
          :model-value="(profile.at(f.pointer) as string | undefined) ?? f.choices?.[0]?.[0]"
          :choices="f.choices ?? []"
          @pick="(v) => profile.set(f.pointer, v)"
        />
        <KeptInput
          v-else-if="f.kind === 'many'"
          :id="id(f)"
          :aria-describedby="f.hint ? `${id(f)}-hint` : undefined"
          :disabled="frozen"
          :value="listed(f)"
          @commit="(v) => many(f, v)"
        />
        <NumberInput
          v-else
          :id="id(f)"
          :aria-describedby="f.hint ? `${id(f)}-hint` : undefined"
          :unit="f.unit"
          :whole="f.kind === 'whole'"
          :disabled="frozen"
          :value="scaled(f)"
          @set="(v) => profile.set(f.pointer, typeof v === 'number' && f.scale ? v / f.scale : v)"
        />
      </template>
      <span v-if="wrong(f)" class="why" role="alert">{{ wrong(f) }}</span>
    </div>
  </div>
</template>

<style scoped>
.plate {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 18px;
}
.field {
  display: grid;
  gap: 2px;
  width: 180px;
  align-content: start;
}
.field.wide {
  width: 250px;
}
label {
  font-size: 13px;
  color: var(--soft);
}
.hint {
  display: block;
  font-style: italic;
  font-size: 13px;
  color: var(--soft);
}
.need {
  color: var(--copper);
  font-weight: 800;
}
.why {
  color: var(--stop);
  font-size: 13px;
}
</style>
