<script setup lang="ts">
// What each unit's own slots make of the windows.
import { counted } from '../../ui/words'
import FoldPart from '../../ui/FoldPart.vue'
import type { UnitWindows } from '../../api/client'

defineProps<{ units: UnitWindows[] }>()
</script>

<template>
  <FoldPart name="windows:slots" title="Slots as the units take them" :says="counted(units.length, 'unit')">
    <div v-for="u in units" :key="u.unit" class="slots" :data-slots="u.unit">
      <b>{{ u.unit }}</b>
      <span v-for="(s, k) in u.slots" :key="k" class="slot">
        {{ s.kind === 'slot' ? k + 1 : s.kind }} {{ s.start }}–{{ s.end
        }}<template v-if="s.kind === 'slot'"
          >{{ ' '
          }}{{ s.charge_allowed ? 'charge' : s.holds ? 'hold' : s.free ? 'free' : s.exports ? 'export' : 'use' }}</template
        ><template v-if="s.target_soc !== null"> to {{ Math.round((s.target_soc ?? 0) * 100) }} %</template
        ><template v-if="s.power_w !== null"> {{ s.power_w }} W</template><span v-if="s.note" class="soft"> ({{ s.note }})</span>
      </span>
      <span :class="u.differs_minutes ? 'off' : 'soft'">{{
        u.differs_minutes ? `differs ${u.differs_minutes} min a week, ${u.differs_kwh} kWh` : 'says exactly what is wanted'
      }}</span>
    </div>
    <p class="soft small">Set the unit's clock and time zone first; it is checked in the run.</p>
  </FoldPart>
</template>

<style scoped>
.slots {
  padding: 6px 0;
  border-bottom: 1px solid var(--faint);
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
}
.slot {
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 8px;
}
.off {
  color: var(--caution);
}
</style>
