<script setup lang="ts">
// Whether a sealed file is unaltered, and whose key sealed it.
import { ElInput } from 'element-plus'
import 'element-plus/theme-chalk/el-input.css'
import { ref } from 'vue'
import { api, ApiProblem, type VerifiedOut } from '../../api/client'
import FileButton from '../../ui/FileButton.vue'
import StateMark from '../../ui/StateMark.vue'

const key = ref('')
const found = ref<VerifiedOut | null>(null)
const name = ref('')
const wrong = ref('')
const WORDS: Record<string, [string, string]> = {
  unaltered: ['ok', 'Unaltered, every byte'],
  altered: ['stop', 'Altered'],
  'other-key': ['caution', 'Unaltered, but sealed with another key than this one'],
  unreadable: ['stop', 'Not a handover that can be read'],
}
async function check([file]: File[]) {
  if (!file) return
  wrong.value = ''
  found.value = null
  name.value = file.name
  try {
    found.value = await api.verify(file, key.value.trim())
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    wrong.value = error.message
  }
}
</script>

<template>
  <p class="soft">Nothing of the file is stored. The same is said by <code>ewerer verify FILE</code> on any machine.</p>
  <p class="line">
    <label for="check-key">Fingerprint on the paper, if it is at hand</label>
    <ElInput id="check-key" v-model="key" maxlength="80" :validate-event="false" />
    <FileButton word="Choose the file" label="Handover file" accept=".zip,application/zip" @files="check" />
  </p>
  <p v-if="wrong" role="alert">{{ wrong }}</p>
  <section v-if="found" role="status" class="verdict">
    <h2><StateMark :state="WORDS[found.verdict]?.[0] ?? 'note'" /> {{ WORDS[found.verdict]?.[1] }}</h2>
    <p>{{ name }}</p>
    <ul>
      <li v-for="p in found.problems" :key="p">{{ p }}</li>
    </ul>
    <p v-if="found.fingerprint">
      Sealed with the key <b>{{ found.fingerprint }}</b>
    </p>
    <p v-if="found.about?.job" class="soft">
      {{ found.about?.job }}, {{ found.about?.crew }}, revision {{ found.about?.revision }}
    </p>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  margin: 10px 0;
}
.line :deep(.el-input) {
  max-width: 460px;
}
.verdict h2 {
  font-size: 20px;
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
