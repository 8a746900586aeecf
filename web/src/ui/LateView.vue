<script setup lang="ts">
// A part of the application could not be fetched: the line is down, or a newer version was put on the server.
import NoticeBar from './NoticeBar.vue'

const again = () => window.location.reload()
</script>

<template>
  <NoticeBar kind="bad">
    This part of Ewerer could not be fetched. What you typed is kept on this device.
    <button @click="again">Load it again</button>
  </NoticeBar>
</template>
