<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import type { Run, Step } from '../api/client'
import { useClock } from '../composables/useClock'
import { countdown, localTime } from '../composables/words'

/** The way: every step with its state, and the timers. */
const props = defineProps<{ run: Run; at: string }>()
defineEmits<{ look: [id: string] }>()
const now = useClock()
const rail = ref<HTMLElement>()
watch(
  () => props.at,
  async () => {
    await nextTick()
    rail.value?.querySelector('[aria-current]')?.scrollIntoView({ block: 'center' })
  },
  { immediate: true },
)
function summary(s: Step): string {
  if (s.timer && !s.timer.over) return countdown(new Date(s.timer.until).getTime() - now.value) + ' to go'
  return [s.done && !s.skipped ? localTime(s.at) : '', s.summary].filter(Boolean).join(' · ')
}
</script>

<template>
  <nav ref="rail" class="relative min-h-0 overflow-auto border-line py-4 xl:border-r" aria-label="Way">
    <div class="px-4 pb-3">
      <h1 class="text-xl">
        <RouterLink
          :to="{ name: 'device', params: { id: run.device.tag } }"
          class="num font-semibold underline-offset-4 hover:underline"
          >{{ run.device.tag }}</RouterLink
        >
      </h1>
      <p class="text-sm text-ink-2">
        <span class="font-semibold text-ink">{{ run.procedure.title }}</span><br />{{ run.device.maker }}
        {{ run.device.model }}<br />{{ run.device.place }}, {{ run.device.site }}
      </p>
    </div>
    <ol class="relative before:absolute before:top-3 before:bottom-4 before:left-[16px] before:w-px before:bg-line">
      <li v-for="s in run.steps" :key="s.id">
        <button
          class="relative block min-h-11 w-full py-1.5 pr-3 pl-9 text-left hover:bg-brass-wash"
          :class="[
            s.id === at && 'bg-brass-wash font-semibold shadow-[inset_4px_0_var(--brass)]',
            s.done && s.id !== at && 'text-ink-2',
          ]"
          :aria-current="s.id === at ? 'step' : undefined"
          @click="$emit('look', s.id)"
        >
          <i
            class="absolute top-[11px] left-[10px] block size-[13px] border-[1.5px]"
            :class="
              s.skipped
                ? 'hatched border-ink-2 bg-paper'
                : s.answer === 'not fine'
                  ? 'rotate-45 border-vermilion bg-vermilion'
                  : s.done
                    ? 'border-ink bg-ink'
                    : s.id === run.current
                      ? 'border-brass bg-brass'
                      : 'border-ink-2 bg-paper'
            "
            aria-hidden="true"
          ></i>
          {{ s.title }}
          <small v-if="summary(s)" class="num block truncate text-xs font-normal text-ink-2">{{ summary(s) }}</small>
          <span class="sr-only">{{ s.done ? ', done' : '' }}</span>
        </button>
      </li>
    </ol>
  </nav>
</template>
