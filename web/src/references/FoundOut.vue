<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useRouter } from 'vue-router'
import FormDialog from '../components/FormDialog.vue'
import NumberField from '../components/NumberField.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { unitWords } from '../composables/words'
import { useCached } from '../api/queries'
import { useSend } from '../composables/useSend'

/** A reference that was found out: every run that rested on it is seen again. */
const props = defineProps<{
  reference: components['schemas']['ReferenceView']
  /** What it moved by: before the certificate with that number, or since the one that counts. */
  moved?: components['schemas']['Moved'] & { certificate?: string; words?: string }
}>()
const emit = defineEmits<{ close: [] }>()
const router = useRouter()
const { refresh } = useCached()
const quantities = [...new Set((props.reference.values ?? []).map((v) => v.quantity))]
const form = reactive({
  id: newId(),
  quantity: props.moved?.quantity ?? quantities[0] ?? '',
  piece: props.moved?.piece ?? '',
  error: props.moved ? String(Number(props.moved.by.toPrecision(6))) : '',
  u: props.moved ? String(props.moved.u) : '',
  remove: true,
  found:
    props.moved?.words ?? (props.moved ? `As found by the laboratory, certificate ${props.moved.certificate}` : ''),
})
const lines = computed(() => (props.reference.values ?? []).filter((v) => v.quantity === form.quantity))
const pieces = computed(() => [...new Set(lines.value.flatMap((v) => v.piece ?? []))])
const line = computed(() => lines.value.find((v) => !form.piece || v.piece === form.piece))
const named = computed(() => lines.value.filter((v) => form.piece && v.piece === form.piece).length)
const ranged = computed(() => !!(line.value?.from || line.value?.to))
const { problem, send } = useSend()
async function save() {
  const body = {
    ...form,
    piece: pieces.value.includes(form.piece) ? form.piece : '',
    remove: form.remove && !ranged.value,
    standard: props.reference.tag,
    unit: props.moved?.unit ?? line.value?.unit ?? '1',
    certificate: props.moved?.certificate,
  }
  if (!(await send(() => api.POST('/api/look-backs', { body })))) return
  await refresh('lookBacks')
  router.push({ name: 'look-back', params: { id: form.id } })
}
</script>

<template>
  <FormDialog
    :title="`${reference.tag} was found out`"
    hint="Every run it was used in since its last good certificate is judged again with what is known now. Quarantine it as well."
    action="Open a look-back"
    :problem="problem"
    @save="save"
    @close="emit('close')"
  >
    <div class="grid sm:grid-cols-2 gap-4">
      <label class="block"
        ><span class="label">Quantity</span>
        <select v-model="form.quantity" name="quantity" class="field">
          <option v-for="q in quantities" :key="q">{{ q }}</option>
        </select></label
      >
      <label v-if="pieces.length" class="block"
        ><span class="label">Piece</span>
        <select v-model="form.piece" name="piece" class="field">
          <option value="">all of them</option>
          <option v-for="p in pieces" :key="p">{{ p }}</option>
        </select></label
      >
      <span v-else />
      <NumberField
        v-model="form.error"
        label="True value less the certified one"
        :unit="unitWords(line?.unit ?? '')"
        name="error"
      />
      <NumberField
        v-model="form.u"
        label="How certain that is, U (k = 2)"
        :unit="unitWords(line?.unit ?? '')"
        name="u"
      />
      <p v-if="named > 1" class="sm:col-span-2 text-ink-2">
        {{ named }} pieces are called so, and a run does not say which of them lay on it: the error is taken into the
        uncertainty of each.
      </p>
      <label v-else-if="!ranged" class="sm:col-span-2 flex min-h-11 items-center gap-3">
        <input v-model="form.remove" type="checkbox" class="size-5 accent-ink" /> Take the error out. Otherwise it is
        taken into the uncertainty.
      </label>
      <p v-else class="sm:col-span-2 text-ink-2">It has a range: the error is taken into the uncertainty.</p>
      <label class="sm:col-span-2 block"
        ><span class="label">How it was found: by whom, against what</span>
        <textarea v-model="form.found" name="found" rows="2" class="field" required></textarea>
      </label>
    </div>
  </FormDialog>
</template>
