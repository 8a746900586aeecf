<script setup lang="ts">
// This very page on another device: its address as a QR code (ISO/IEC 18004), to be read by a telephone's camera.
import { ElDialog } from 'element-plus'
import { encode } from 'uqr'
import { computed } from 'vue'

const open = defineModel<boolean>({ required: true })
const address = window.location.href
/** An address that only this machine knows. */
const here = /^(localhost|127\.|\[::1\])/.test(window.location.hostname)
const code = computed(() => encode(address, { ecc: 'M', border: 4 }))
const path = computed(() =>
  code.value.data.flatMap((row, y) => row.flatMap((dark, x) => (dark ? [`M${x} ${y}h1v1h-1z`] : []))).join(''),
)
</script>

<template>
  <ElDialog v-model="open" title="Open on a telephone" width="min(420px, 94vw)">
    <p v-if="here" role="alert">
      This address works on this machine only. Serve Ewerer on your network first; docs/running.md says how.
    </p>
    <svg :viewBox="`0 0 ${code.size} ${code.size}`" role="img" :aria-label="`QR code of ${address}`" shape-rendering="crispEdges">
      <rect :width="code.size" :height="code.size" fill="#fff" />
      <path :d="path" fill="#000" />
    </svg>
    <p class="soft small">{{ address }}</p>
  </ElDialog>
</template>

<style scoped>
svg {
  display: block;
  width: 100%;
  max-width: 300px;
  margin: 8px auto;
}
p {
  overflow-wrap: anywhere;
}
</style>
