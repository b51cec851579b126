<script setup lang="ts">
import { ref } from 'vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import SkipStep from './SkipStep.vue'
import { useRunHandle } from './runHandle'
import { useDraft } from './draft'
import { unitWords } from '../composables/words'
import type { Run, Step } from '../api/client'

const props = defineProps<{ run: Run; step: Step }>()
const { send, sending, problem } = useRunHandle()
const { draft: values, drop } = useDraft<Record<string, string>>(`plate ${props.step.id}`, () =>
  Object.fromEntries(
    (props.step.fields ?? []).map((f) => [f.id, String(props.step.choices?.[f.id] ?? props.step.plate?.[f.id] ?? '')]),
  ),
)
const form = ref<HTMLFormElement>()
function onEnter(event: Event) {
  const inputs = [...(form.value?.querySelectorAll<HTMLElement>('input, select') ?? [])]
  const next = inputs[inputs.indexOf(event.target as HTMLElement) + 1]
  if (next) next.focus()
  else save()
}
async function save() {
  if (await send({ kind: 'plate', step: props.step.id, values: { ...values.value } })) drop()
}
</script>

<template>
  <form ref="form" @submit.prevent>
    <StepHead :title="step.title" :do="step.do" :caution="step.caution" />
    <div class="mt-5 grid max-w-2xl gap-4">
      <label
        v-for="(f, i) in step.fields"
        :key="f.id"
        class="grid items-center gap-3"
        :class="
          f.options?.length || f.text
            ? 'gap-y-1 sm:grid-cols-[1fr_1.3fr]'
            : f.counts
              ? 'grid-cols-[minmax(0,1fr)_7rem_auto] sm:grid-cols-[1fr_150px_8rem]'
              : 'grid-cols-[minmax(0,1fr)_7rem_auto] sm:grid-cols-[1fr_150px_50px]'
        "
      >
        <span
          >{{ f.label }}<span v-if="f.optional" class="block text-sm text-ink-2">may stay empty</span
          ><span v-if="step.left?.[f.id]" class="block text-sm text-ink-2">{{ step.left[f.id] }}</span></span
        >
        <select
          v-if="f.options?.length"
          v-model="values[f.id]"
          :name="f.id"
          class="field"
          :data-first="i === 0 ? '' : undefined"
          :aria-invalid="problem?.field === f.id"
          @keydown.enter.prevent="onEnter"
        >
          <option value="" disabled>choose what is set …</option>
          <option v-for="o in f.options" :key="o.id" :value="o.id">{{ o.title }}</option>
        </select>
        <input
          v-else
          v-model="values[f.id]"
          :name="f.id"
          :inputmode="f.text ? 'text' : 'decimal'"
          class="field"
          :class="!f.text && 'num text-right text-2xl'"
          :data-first="i === 0 ? '' : undefined"
          :aria-invalid="problem?.field === f.id"
          autocomplete="off"
          @keydown.enter.prevent="onEnter"
        />
        <span v-if="!f.options?.length && !f.text" class="text-ink-2">{{ f.counts || unitWords(f.unit) }}</span>
      </label>
    </div>
    <slot />
    <ThumbBar class="mt-5">
      <button type="button" class="btn btn-main" :disabled="sending" @click="save">Record <kbd>Enter</kbd></button>
      <SkipStep v-if="!step.done" :step="step" />
    </ThumbBar>
  </form>
</template>
