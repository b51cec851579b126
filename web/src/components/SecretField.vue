<script setup lang="ts">
import { computed, ref } from 'vue'
import AlertNote from './AlertNote.vue'
import { passkeysWork, usePasskey } from '../composables/usePasskey'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** Asks whoever is signed in to show once more that it is they, for a signature; meaning is what they sign for. */
defineProps<{ meaning: string; wrong?: boolean }>()
const secret = defineModel<string>({ required: true })
const { session, person } = useSession()
const { trouble, sending, send } = useSend()
const field = ref<HTMLInputElement>()
/** What was given is of a passkey: it is not shown, and signs once. */
const shown = computed(() => secret.value.startsWith('passkey/'))
async function show() {
  const given = await send(usePasskey().confirm)
  if (given) secret.value = given.secret
}
const ways = computed(() => {
  const { by, pin } = session.value ?? {}
  if (by === 'directory') return pin ? 'your PIN' : 'your passkey'
  return pin ? 'your PIN or password' : 'your password'
})
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <div class="max-w-sm">
    <label class="block">
      <span class="label">
        <b class="text-ink">{{ person?.name }}</b>, {{ ways }} once more. It means:
        <b class="text-ink">{{ meaning }}</b>
      </span>
      <span v-if="shown" class="field flex items-center">● Your passkey was shown: it signs once</span>
      <input
        v-else
        ref="field"
        v-model="secret"
        name="secret"
        type="password"
        class="field"
        autocomplete="off"
        maxlength="200"
        :aria-invalid="wrong"
      />
    </label>
    <button
      v-if="session?.passkey && passkeysWork() && !shown"
      type="button"
      class="btn mt-2"
      :disabled="sending"
      @click="show"
    >
      Show the passkey
    </button>
    <AlertNote class="mt-2" :words="trouble" />
  </div>
</template>
