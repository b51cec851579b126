<script setup lang="ts">
import ThumbBar from './ThumbBar.vue'
import { computed } from 'vue'
import { useRunHandle } from './runHandle'
import { useDraft } from './draft'
import { useSend } from '../composables/useSend'
import AlertNote from '../components/AlertNote.vue'
import type { Finding } from '../api/client'

/**
 * What lay outside the device, and what was put right: as found is then not the device's. It is kept and printed, and as
 * found is read again; nothing of the device was changed.
 */
const props = defineProps<{ finding: Finding }>()
const emit = defineEmits<{ done: [] }>()
const { send, sending } = useRunHandle()
const { trouble, refuse, clear } = useSend()
const own = 'own'
const { draft, drop } = useDraft(`outside ${props.finding.id}`, () => ({ chosen: '', words: '', put: '' }))
const cause = computed(() => (draft.value.chosen === own ? draft.value.words : draft.value.chosen).trim())

async function declare() {
  clear()
  if (!draft.value.chosen) return refuse('Choose what it was, or “something else” and tell it in words.')
  if (!cause.value) return refuse('Tell the cause in words: it stands on the certificate.')
  if (!draft.value.put.trim()) return refuse('Say what was put right at the set-up: it stands on the certificate.')
  const sent = await send({
    kind: 'void-as-found',
    finding: props.finding.id,
    cause: cause.value,
    note: draft.value.put.trim(),
  })
  if (!sent) return
  drop()
  emit('done')
}
</script>

<template>
  <form id="outside" class="max-w-2xl" @submit.prevent="declare">
    <fieldset class="mt-3">
      <legend class="label">What lay outside the device</legend>
      <label
        v-for="c in [...(finding.outside ?? []), own]"
        :key="c"
        class="flex min-h-11 items-center gap-3 border-b border-line px-1"
      >
        <input v-model="draft.chosen" type="radio" name="cause" :value="c" class="size-5 shrink-0 accent-ink" />
        <span>{{ c === own ? 'Something else, told in words' : c }}</span>
      </label>
    </fieldset>
    <label v-if="draft.chosen === own" class="mt-3 block">
      <span class="label">The cause in words</span>
      <input v-model="draft.words" name="words" class="field" maxlength="400" autocomplete="off" />
    </label>
    <label class="mt-3 block">
      <span class="label">What was put right</span>
      <input v-model="draft.put" name="put-right" class="field" maxlength="1000" autocomplete="off" />
    </label>
    <AlertNote class="mt-2" :words="trouble" />
    <p class="mt-3 text-sm text-ink-2">
      The first as found stays in the record and on the certificate, beside the second. Where the second agrees with the
      first within its uncertainty, the first stands.
    </p>
    <ThumbBar class="mt-3">
      <button class="btn btn-main" form="outside" :disabled="sending">Read as found again</button>
      <slot />
    </ThumbBar>
  </form>
</template>
