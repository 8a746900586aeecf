<script setup lang="ts">
// The array on a unit's own trackers or on a sun charger: size, volts on the coldest day, strings, where it looks.
import NumberField from '../../ui/NumberField.vue'

defineProps<{ path: string; id: string; short?: boolean }>()
</script>

<template>
  <div class="fields array">
    <NumberField v-if="!short" :path="`${path}/array_w`" :label="`Array of ${id}`" />
    <NumberField :path="`${path}/array_v`" />
    <NumberField :path="`${path}/strings`" whole />
    <NumberField v-if="!short" :path="`${path}/tilt_deg`" />
    <NumberField v-if="!short" :path="`${path}/azimuth_deg`" />
  </div>
</template>

<style scoped>
.array + .array {
  margin-top: 10px;
}
.array :deep(.number) {
  width: 112px;
}
</style>
