<script setup lang="ts">
import { ref } from 'vue'
import { useSession } from '../composables/useSession'

/** Asks whoever is signed in to show once more that it is they, for a signature; meaning is what they sign for. */
defineProps<{ meaning: string; wrong?: boolean }>()
const secret = defineModel<string>({ required: true })
const { person, pin } = useSession()
const field = ref<HTMLInputElement>()
defineExpose({ focus: () => field.value?.focus() })
</script>

<template>
  <label class="block max-w-sm">
    <span class="label">
      <b class="text-ink">{{ person?.name }}</b>, {{ pin ? 'your PIN or password' : 'your password' }} once more. It
      means: <b class="text-ink">{{ meaning }}</b>
    </span>
    <input
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
</template>
