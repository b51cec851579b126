<script setup lang="ts">
import { ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import { useRunHandle } from './runHandle'
import type { Step } from '../api/client'

/** Leaves a step out, with a reason. */
const props = defineProps<{ step: Step; words?: string }>()
const { send } = useRunHandle()
const asking = ref(false)
function skip(reason: string) {
  asking.value = false
  send({ kind: 'skip', step: props.step.id, reason })
}
</script>

<template>
  <button type="button" class="btn btn-quiet" @click="asking = true">{{ words ?? 'Leave it out …' }}</button>
  <AskDialog
    v-if="asking"
    :title="`Leave out: ${step.title}`"
    hint="The certificate will say so."
    label="Why"
    action="Leave it out"
    @done="skip"
    @close="asking = false"
  />
</template>
