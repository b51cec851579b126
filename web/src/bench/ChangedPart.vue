<script setup lang="ts">
import { ref } from 'vue'
import AskDialog from '../components/AskDialog.vue'
import { useRunHandle } from './runHandle'
import type { Run } from '../api/client'

/** Something was changed on the device: what was done before, and depends on it, is done again. */
const props = defineProps<{ run: Run }>()
const { send } = useRunHandle()
const choosing = ref(false)
const asking = ref<NonNullable<Run['parts']>[number]>()
const titles = (ids: string[]) => ids.map((id) => props.run.steps.find((s) => s.id === id)?.title ?? id).join(', ')
function changed(reason: string) {
  const part = asking.value
  asking.value = undefined
  choosing.value = false
  if (part) send({ kind: 'change-part', part: part.id, reason })
}
</script>

<template>
  <template v-if="run.parts?.length">
    <button class="btn btn-quiet" :aria-expanded="choosing" @click="choosing = !choosing">
      Something was changed …
    </button>
    <span v-if="choosing" class="order-last flex w-full flex-wrap gap-2 pb-1">
      <button v-for="p in run.parts" :key="p.id" class="btn" @click="asking = p">{{ p.title }}</button>
    </span>
  </template>
  <AskDialog
    v-if="asking"
    :title="asking.title"
    :hint="`Then these count no more, and are done again: ${titles(asking.invalidates)}.`"
    label="What was changed, and why"
    action="Note the change"
    @done="changed"
    @close="asking = undefined"
  />
</template>
