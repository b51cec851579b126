<script setup lang="ts">
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import { useRunHandle } from './runHandle'
import { stepped, useKeys } from '../composables/useKeys'
import { shown, unitWords } from '../composables/words'
import type { Finding } from '../api/client'

/** A span that is set by its load: empty, load, type this value, unload, zero. One thing at a time is asked for. */
const props = defineProps<{ finding: Finding }>()
const { send, sending, problem } = useRunHandle()
const span = computed(() => props.finding.span!)
const value = computed(() => shown(Math.round(span.value.value / span.value.step) * span.value.step, span.value.step))
const unit = computed(() => unitWords(span.value.unit))
const step = ref(0)
const typed = ref('')
const field = ref<HTMLInputElement>()
const steps = computed(() => [
  { what: 'Empty platform: it shows zero', how: 'Zero it by its key if it does not.' },
  { what: span.value.do, how: 'In the middle of the platform; wait until it stands.' },
  { what: `Type ${value.value} ${unit.value} into the scale`, how: 'Then type here what you entered there.' },
  { what: 'Unload: it shows zero', how: 'If it does not, empty and zero it, and set the span again.' },
])

async function go() {
  if (sending.value) return
  if (step.value === 2 && !typed.value.trim()) return field.value?.focus()
  if (step.value < steps.value.length - 1) {
    step.value++
    return
  }
  const move = (props.finding.offer ?? props.finding.advice)?.moves?.[0]
  const control = props.finding.controls.find((c) => c.sense === 'load')!
  const order = { kind: 'adjust' as const, finding: props.finding.id, control: control.id }
  await send({ ...order, steps: move?.steps || 1, typed: typed.value })
}
// What was refused was typed wrongly: the field comes back.
watch(
  () => problem.value?.field,
  (wrong) => wrong === 'typed' && (step.value = 2),
)
watch(step, async () => {
  stepped()
  await nextTick()
  field.value?.focus()
})
onMounted(stepped)
useKeys({ Enter: go })
</script>

<template>
  <StepHead
    :title="`Set the span, round ${finding.closed}`"
    do="The scale is told what lies on it. It is verified again afterwards, at every load."
  />
  <ol class="mt-4 border-2 border-ink bg-sheet">
    <li
      v-for="(s, i) in steps"
      :key="s.what"
      class="flex flex-wrap items-center gap-x-4 border-line px-4 py-3"
      :class="[i && 'border-t', i === step && 'bg-brass-wash', i > step && 'text-ink-2']"
      :aria-current="i === step ? 'step' : undefined"
    >
      <span class="num w-8 text-2xl" :class="i < step && 'text-petrol'">{{ i < step ? '■' : i + 1 }}</span>
      <span class="grow">
        <span class="block" :class="i === step ? 'text-2xl' : 'text-lg'">{{ s.what }}</span>
        <span v-if="i === step" class="block text-[0.9375rem]">{{ s.how }}</span>
      </span>
      <label v-if="i === 2 && i === step" class="flex flex-wrap items-baseline gap-2" data-keys>
        <span class="sr-only">Entered in the scale</span>
        <input
          ref="field"
          v-model="typed"
          data-first
          name="typed-span"
          inputmode="decimal"
          autocomplete="off"
          class="field num w-36 text-2xl"
          :aria-invalid="problem?.field === 'typed'"
          @keydown.enter.prevent="go"
        />
        {{ unit }}
      </label>
      <span v-else-if="i === 2 && i < step" class="num text-xl">{{ typed }} {{ unit }}</span>
    </li>
  </ol>
  <slot />
  <ThumbBar class="mt-4">
    <button class="btn btn-main" :disabled="sending" @click="go">
      {{ step < steps.length - 1 ? 'Done, next' : 'Note it; verify again' }} <kbd>Enter</kbd>
    </button>
    <button v-if="step" class="btn" @click="step--">One back</button>
  </ThumbBar>
</template>
