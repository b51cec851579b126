<script setup lang="ts">
import { ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import OutsideCause from './OutsideCause.vue'
import type { Finding } from '../api/client'

/** Declares as found not valid, where its cause lay outside the device. */
defineProps<{ finding: Finding }>()
const asking = ref(false)
</script>

<template>
  <span v-if="finding.may_void">
    <button type="button" class="btn" @click="asking = true">The cause was outside the device …</button>
    <DialogShell
      v-if="asking"
      title="As found was not the device’s"
      hint="Only where the set-up, the reference or the room made it so. Nothing of the device was changed."
      @close="asking = false"
    >
      <OutsideCause :finding="finding" @done="asking = false">
        <button type="button" class="btn" @click="asking = false">Back <kbd>Esc</kbd></button>
      </OutsideCause>
    </DialogShell>
  </span>
</template>
