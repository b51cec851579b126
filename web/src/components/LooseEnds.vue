<script setup lang="ts">
import { computed, ref } from 'vue'
import DialogShell from './DialogShell.vue'
import type { BenchState } from '../api/client'
import { useClock } from '../composables/useClock'
import { useKeys } from '../composables/useKeys'
import { elapsed } from '../composables/words'

/** What steps have left open, with the longest time: on every screen. */
const props = defineProps<{ ends: BenchState['loose_ends'] }>()
const now = useClock()
const open = ref(false)
const since = (at: string) => elapsed(now.value - new Date(at).getTime())
const longest = computed(() => (props.ends[0] ? since(props.ends[0].opened_at) : ''))
useKeys({ l: () => (open.value = true) })
</script>

<template>
  <button
    class="flex min-h-11 min-w-11 items-center justify-center gap-2 font-semibold"
    :class="ends.length ? 'text-brass' : 'text-ink-2'"
    @click="open = true"
  >
    <svg
      width="20"
      height="20"
      viewBox="0 0 20 20"
      fill="none"
      stroke="currentColor"
      stroke-width="2"
      aria-hidden="true"
    >
      <path :d="ends.length ? 'M2 14c6 0 4-9 9-9s3 7 0 7-3-4 1-4 6 2 6 2' : 'M2 10h16'" />
    </svg>
    <span v-if="ends.length"
      ><span class="max-sm:sr-only">{{ ends.length }} loose · {{ longest }}</span
      ><span class="sm:hidden" aria-hidden="true">{{ ends.length }}</span></span
    >
    <span v-else class="font-normal max-sm:sr-only">no loose ends</span>
  </button>
  <DialogShell
    v-if="open"
    title="Loose ends"
    hint="Left open by a step. A run cannot be signed with one; close it in its run."
    side
    wide="narrow"
    @close="open = false"
  >
    <ul class="rows mt-4 border-y border-line">
      <li v-for="end in ends" :key="end.run + end.what">
        <RouterLink
          :to="{ name: 'run', params: { id: end.run } }"
          class="block py-3 hover:bg-brass-wash"
          @click="open = false"
        >
          <span class="font-semibold">{{ end.what }}</span>
          <span class="block text-sm text-ink-2">
            {{ end.tag }} · opened by {{ end.by }} · open {{ since(end.opened_at) }}
          </span>
        </RouterLink>
      </li>
    </ul>
    <p v-if="!ends.length" class="py-3">Nothing stands open.</p>
    <button class="btn mt-4" @click="open = false">Close <kbd>Esc</kbd></button>
  </DialogShell>
</template>
