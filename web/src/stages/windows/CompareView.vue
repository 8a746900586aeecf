<script setup lang="ts">
// Two simulations of the same days side by side.
import { computed } from 'vue'
import type { Comparison } from '../../api/client'
import { useWork } from '../../api/use-work'
import { useJob } from '../../job/use-job'
import WorkBar from '../../ui/WorkBar.vue'
import LedgerTable from './LedgerTable.vue'

const job = useJob()
const compare = useWork<Comparison>(() => job.document.value)
const noted = computed(() => Object.keys((job.at('/as_found') as object | undefined) ?? {}).length > 0)
const start = () => void compare.start({ kind: 'compare', document: job.document.value, other: job.before(), days: 365 })
</script>

<template>
  <div>
    <p class="soft">
      {{
        job.whatIf.value
          ? 'The what-if beside the job as it was before it.'
          : noted
            ? 'The plan beside the units as found.'
            : 'Note what units show, or begin a what-if: then there are two to compare.'
      }}
    </p>
    <WorkBar v-if="job.whatIf.value || noted" :work="compare" label="Compare over a year" @start="start" />
    <LedgerTable
      v-if="compare.result.value"
      :names="compare.result.value.names.map((n) => (n === 'other' ? 'before' : n))"
      :ledgers="compare.result.value.ledgers"
    />
  </div>
</template>
