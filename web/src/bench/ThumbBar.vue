<script setup lang="ts">
import { useDesk } from '../composables/useDesk'

/** What is done next: in its step on a desk; held in the hand, at the bottom edge, under the thumb. */
defineOptions({ inheritAttrs: false })
const desk = useDesk()
</script>

<template>
  <Teleport defer to="#thumb" :disabled="desk">
    <div
      v-bind="desk ? $attrs : {}"
      class="flex flex-wrap gap-3"
      :class="
        desk
          ? 'items-center'
          : 'items-stretch border-t-2 border-ink bg-paper px-4 py-2 sm:flex-row-reverse sm:px-6 [&>.btn]:min-h-14 [&>.btn]:justify-center [&>.btn-main]:order-first [&>.btn-main]:grow [&>.btn-main]:text-xl max-sm:gap-2 max-sm:[&>.btn-main]:basis-full max-sm:[&>.btn-quiet]:min-h-11'
      "
    >
      <slot />
    </div>
  </Teleport>
</template>
