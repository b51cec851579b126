<script setup lang="ts">
import DialogShell from './DialogShell.vue'
import UnderChoice from './UnderChoice.vue'
import { useStartRun } from '../composables/useStartRun'

/** A run is to be opened by somebody who may not do the device alone: it is asked whom they work under. */
const { asked, again, starting, drop } = useStartRun()
</script>

<template>
  <DialogShell v-if="asked" title="Under whom?" :hint="asked.why" wide="narrow" @close="drop()">
    <UnderChoice :family="asked.family" :busy="!!starting" @chosen="again" />
    <p class="mt-3 text-sm text-ink-2">They take no readings in this run: they look at it, and countersign.</p>
  </DialogShell>
</template>
