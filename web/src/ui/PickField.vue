<script setup lang="ts">
// One of a list. Pages have many, so each is only drawn until the pointer comes near, a key reaches it or it is pressed.
import 'element-plus/theme-chalk/el-popper.css'
import 'element-plus/theme-chalk/el-select.css'
import { computed, onMounted, ref, shallowRef, type Component } from 'vue'

type Value = string | number
const props = defineProps<{
  choices: (readonly [Value, string])[]
  label: string
  id?: string
  placeholder?: string
  disabled?: boolean
}>()
const value = defineModel<Value | undefined>()
const emit = defineEmits<{ pick: [value: Value] }>()
const MANY = 7
// The choice that stands for nothing stored is what an empty field says.
const empty = computed(() => props.placeholder ?? props.choices.find(([v]) => v === '')?.[1] ?? '')
const many = computed(() => props.choices.length > MANY)
const shown = computed(() => (value.value === '' ? undefined : props.choices.find(([v]) => v === value.value)?.[1]))

const list = shallowRef<Component>()
const take = ref<'focus' | 'open'>()
const fetched = () => import('./PickList.vue').then((made) => made.default)
async function wake(how?: 'focus' | 'open') {
  if (how && take.value !== 'open') take.value = how
  const made = await fetched()
  if (pressed && how !== 'open') return
  // Somebody who went on meanwhile is not called back.
  if (take.value === 'focus' && box.value !== document.activeElement) take.value = undefined
  list.value = made
}
const box = ref<HTMLElement>()
// A press is one act to its end: what is under it is changed only then.
let pressed = false
const near = (event: PointerEvent) => void (event.pointerType === 'mouse' && wake())
const focused = () => void (pressed || wake('focus'))
function clicked() {
  pressed = false
  void wake('open')
}
// Its code is fetched when the page has come to rest.
const AFTER_MS = 1200
onMounted(() => window.setTimeout(() => void fetched().catch(() => undefined), AFTER_MS))
</script>

<template>
  <component
    :is="list"
    v-if="list"
    :id="id"
    v-model="value"
    class="pick"
    :choices="choices"
    :label="label"
    :many="many"
    :placeholder="empty"
    :disabled="disabled"
    :take="take"
    @pick="(v: Value) => emit('pick', v)"
  />
  <div
    v-else
    class="el-select pick"
    :class="{ 'is-disabled': disabled }"
    :data-choices="choices.length"
    @pointerenter="near"
    @pointerdown="pressed = true"
    @pointercancel="pressed = false"
    @click="clicked"
  >
    <div class="el-select__wrapper drawn" :class="{ 'is-disabled': disabled }">
      <button
        :id="id"
        ref="box"
        type="button"
        role="combobox"
        aria-expanded="false"
        aria-haspopup="listbox"
        :aria-label="label"
        :disabled="disabled"
        class="el-select__face"
        @focus="focused"
      >
        <span :class="shown === undefined ? 'none' : ''">{{ shown ?? empty }}</span>
      </button>
      <svg class="caret" viewBox="0 0 10 6" aria-hidden="true"><path d="M1 1l4 4 4-4" /></svg>
    </div>
  </div>
</template>

<style scoped>
.pick {
  width: 180px;
}
.drawn {
  position: relative;
}
.el-select__face {
  all: unset;
  flex: 1;
  min-width: 0;
  align-self: stretch;
  display: flex;
  align-items: center;
  overflow: hidden;
  white-space: nowrap;
}
.el-select__face span {
  overflow: hidden;
  text-overflow: ellipsis;
}
.none {
  color: var(--soft);
}
.caret {
  width: 10px;
  height: 6px;
  fill: none;
  stroke: var(--soft);
  stroke-width: 1.2;
  pointer-events: none;
}
</style>
