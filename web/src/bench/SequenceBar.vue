<script setup lang="ts">
import { computed } from 'vue'
import { api, type Run } from '../api/client'
import { useBenchState } from '../composables/useBenchState'
import { useCached } from '../api/queries'
import AlertNote from '../components/AlertNote.vue'
import { useSend } from '../composables/useSend'

/** Has the linked points read one after another by themselves, while other work goes on. */
const props = defineProps<{ run: Run }>()
const { refresh } = useCached()
const { trouble, send } = useSend()
const { data } = useBenchState()
const state = computed(() => data.value?.sequences.find((s) => s.run === props.run.id))
async function turn(on: boolean) {
  const params = { path: { id: props.run.id } }
  if (await send(() => api.POST('/api/runs/{id}/sequence', { params, body: { on } }))) refresh('bench')
}
</script>

<template>
  <div
    class="mt-3 flex flex-wrap items-center gap-3 px-3 py-2"
    :class="
      state?.alarm
        ? 'border-l-4 border-vermilion bg-vermilion-wash'
        : state?.running
          ? 'border-l-4 border-petrol bg-petrol-wash'
          : ''
    "
    role="status"
  >
    <template v-if="state?.running && state.move">
      <span
        ><b>It waits for the hand:</b> {{ state.move }}. Say so above; it then goes on by itself.
        <span class="num">{{ state.read }}</span> read so far.</span
      >
      <button type="button" class="btn" @click="turn(false)">Stop it</button>
    </template>
    <template v-else-if="state?.running">
      <span
        ><b>It reads by itself:</b> {{ state.now }}, <span class="num">{{ state.read }}</span> read so far. You can work
        elsewhere; it stops when something is wrong.</span
      >
      <button type="button" class="btn" @click="turn(false)">Stop it</button>
    </template>
    <template v-else>
      <span v-if="state?.alarm"><b>It stopped:</b> {{ state.why }}.</span>
      <button type="button" class="btn" @click="turn(true)">Let it read by itself</button>
    </template>
    <AlertNote :words="trouble" />
  </div>
</template>
