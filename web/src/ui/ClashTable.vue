<script setup lang="ts">
// What two people changed both: place, theirs, mine; one of each row to choose, or only to read.
export interface ClashRow {
  key: string
  place: string
  theirs: string
  mine: string
}
defineProps<{ rows: ClashRow[]; choose?: boolean }>()
/** The side taken of each row; mine where nothing is chosen. */
const taken = defineModel<Record<string, 'mine' | 'theirs'>>({ default: () => ({}) })
const SIDES = ['theirs', 'mine'] as const
</script>

<template>
  <div class="rows">
    <table>
      <thead>
        <tr>
          <th>Place</th>
          <th>Theirs</th>
          <th>Yours</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="r in rows" :key="r.key">
          <td>{{ r.place }}</td>
          <td v-for="side in SIDES" :key="side">
            <label v-if="choose" class="side">
              <input
                type="radio"
                :name="`clash-${r.key}`"
                :checked="(taken[r.key] ?? 'mine') === side"
                @change="taken = { ...taken, [r.key]: side }"
              />
              {{ r[side] }}
            </label>
            <template v-else>{{ r[side] }}</template>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.rows {
  max-height: 45vh;
  overflow: auto;
  margin: 10px 0;
}
td {
  max-width: 220px;
  overflow-wrap: anywhere;
}
.side {
  display: flex;
  gap: 6px;
  min-height: 40px;
  align-items: center;
}
</style>
