<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import { useRunHandle } from './runHandle'
import { useKeys } from '../composables/useKeys'
import type { Run, Step } from '../api/client'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending } = useRunHandle()
const acknowledge = () => !props.step.done && send({ kind: 'answer', step: props.step.id, answer: 'fine' })
useKeys({ Enter: acknowledge })
</script>

<template>
  <div>
    <StepHead title="Cautions" />
    <ul class="mt-4 space-y-3">
      <li
        v-for="c in run.procedure.cautions"
        :key="c"
        class="border-l-4 border-vermilion bg-vermilion-wash px-4 py-2 text-[1.0625rem]"
      >
        {{ c }}
      </li>
    </ul>
    <slot />
    <ThumbBar class="mt-5">
      <button class="btn btn-main" :disabled="sending || step.done" @click="acknowledge">
        {{ step.done ? 'Acknowledged' : 'I have read them' }} <kbd>Enter</kbd>
      </button>
    </ThumbBar>
  </div>
</template>
