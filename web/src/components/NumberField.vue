<script setup lang="ts">
/** A number as it is typed, with comma or point; its unit is shown, never typed. */
defineProps<{ label: string; unit?: string; name?: string; invalid?: boolean; optional?: boolean }>()
const text = defineModel<string>({ required: true })
</script>

<template>
  <label class="block">
    <span class="label">{{ label }}<template v-if="optional"> (if known)</template></span>
    <span class="flex items-center gap-2">
      <input
        v-model="text"
        :name="name"
        inputmode="decimal"
        autocomplete="off"
        class="field num"
        :aria-invalid="invalid"
      />
      <span v-if="unit" class="w-16 shrink-0 text-ink-2">{{ unit }}</span>
    </span>
  </label>
</template>
