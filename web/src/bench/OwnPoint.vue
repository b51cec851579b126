<script setup lang="ts">
import { computed, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import AlertNote from '../components/AlertNote.vue'
import { useRunHandle } from './runHandle'
import type { Measure } from '../api/client'

/** Adds a point of the technician's own to a measure: judged as the others are. */
const props = defineProps<{ measure: Measure }>()
const { send, sending, problem } = useRunHandle()
const asking = ref(false)
const at = ref('')
const label = ref('')
const u = ref('')
/** A value that no standard of the measure realises brings its own uncertainty. */
const bare = computed(() => props.measure.points.every((p) => !p.role))
const field = ref<HTMLInputElement | null>(null)
async function add() {
  if (!at.value.trim()) return field.value?.focus()
  const sent = await send({
    kind: 'add-point',
    measure: props.measure.id,
    typed: at.value.trim(),
    what: label.value.trim(),
    ...(bare.value && { values: { u: u.value.trim() } }),
  })
  if (sent) asking.value = false
}
function ask() {
  at.value = label.value = ''
  asking.value = true
}
</script>

<template>
  <span v-if="measure.reading">
    <button type="button" class="btn btn-quiet" @click="ask">A point of your own …</button>
    <DialogShell
      v-if="asking"
      wide="narrow"
      :title="`A point more in ${measure.title}`"
      hint="It is judged as the others are, and stands on the certificate as one of your own. Set it by hand."
      :initial-focus="field"
      @close="asking = false"
    >
      <form @submit.prevent="add">
        <label class="mt-4 block"
          ><span class="label">At, in {{ measure.shown || 'the unit of the measure' }}</span
          ><input
            ref="field"
            v-model="at"
            name="own-at"
            inputmode="decimal"
            class="field num text-2xl"
            autocomplete="off"
        /></label>
        <label class="mt-3 block"
          ><span class="label">Its name, where the value alone does not say it</span
          ><input v-model="label" name="own-label" class="field" maxlength="40" autocomplete="off"
        /></label>
        <label v-if="bare" class="mt-3 block"
          ><span class="label">Uncertainty of that value (k = 2), in {{ measure.shown }}</span
          ><input v-model="u" name="own-u" inputmode="decimal" class="field num" autocomplete="off"
        /></label>
        <AlertNote v-if="problem" class="mt-2" :words="problem.detail" />
        <div class="mt-4 flex gap-3">
          <button class="btn btn-main" :disabled="sending">Add it <kbd>Enter</kbd></button>
          <button type="button" class="btn" @click="asking = false">Back <kbd>Esc</kbd></button>
        </div>
      </form>
    </DialogShell>
  </span>
</template>
