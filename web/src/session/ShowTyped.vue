<script setup lang="ts">
// Passwords are typed with gloves, on glass, in the sun: whoever is alone may look at what is typed.
const shown = defineModel<boolean>({ required: true })
</script>

<template>
  <label class="show-typed"><input v-model="shown" type="checkbox" /> Show what is typed</label>
</template>

<style scoped>
.show-typed {
  display: inline-flex;
  align-items: center;
  gap: 8px;
  min-height: 32px;
  font-weight: 400;
  color: var(--soft);
  cursor: pointer;
}
.show-typed input {
  width: 16px;
  height: 16px;
  margin: 0;
  accent-color: var(--copper);
}
</style>
