<script setup lang="ts">
import { ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import { useRunHandle } from './runHandle'
import type { Finding } from '../api/client'

/** Puts back what stood before the last adjustment, where it was made from bad readings or made things worse. */
const props = defineProps<{ finding: Finding }>()
const { send, sending } = useRunHandle()
const asking = ref(false)
function takeBack(reason: string) {
  asking.value = false
  send({ kind: 'take-back', finding: props.finding.id, reason })
}
</script>

<template>
  <span v-if="finding.undo?.length">
    <button type="button" class="btn" :disabled="sending" @click="asking = true">Put back what stood before …</button>
    <AskDialog
      v-if="asking"
      title="Put back what stood before"
      :hint="`On the device: ${finding.undo.map((m) => m.words).join('; ')}. Then everything is read again.`"
      label="Why the adjustment is taken back"
      action="Put it back"
      :suggestions="['It was made from bad strokes', 'It made things worse']"
      @done="takeBack"
      @close="asking = false"
    />
  </span>
</template>
