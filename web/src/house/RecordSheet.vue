<script setup lang="ts">
import { ref } from 'vue'
import CareOfCopies from './CareOfCopies.vue'
import CheckPaper from './CheckPaper.vue'
import KeyExport from './KeyExport.vue'
import FileRoom from './FileRoom.vue'
import RestoreCopy from './RestoreCopy.vue'
import { api } from '../api/client'
import { useSession } from '../composables/useSession'
import { useHouse } from './useHouse'
import HistoryList from '../components/HistoryList.vue'
import { useSend } from '../composables/useSend'

/** The care of the record: its check, papers, and copies. */
const { data } = useHouse()
const { can } = useSession()
const found = ref('')
const broken = ref(false)
/** Where time goes back: it is said, and breaks nothing. */
const backwards = ref<string[]>([])
const { trouble, sending: busy, send } = useSend()
async function check() {
  const c = await send(() => api.POST('/api/house/check'))
  backwards.value = c?.backwards ?? []
  broken.value = !c || !!c.broken
  found.value = !c
    ? trouble.value
    : c.broken ||
      `The record holds: ${c.events} events, each chained to the one before, and every register is what they give. ` +
        (c.checkpoints
          ? `It is what the workshop’s key signed, ${c.checkpoints} times.`
          : 'Nothing was signed of it yet.')
}
</script>

<template>
  <section class="grid max-w-3xl gap-8">
    <div>
      <h2 class="text-lg">Check</h2>
      <p class="text-ink-2">
        Every event carries the mark of the one before, and the workshop’s key signs how the record stands with each
        signature and each day: whatever was changed afterwards shows.
      </p>
      <button class="btn mt-2" :disabled="busy" @click="check">{{ busy ? 'Checking …' : 'Check the record' }}</button>
      <p
        v-if="found"
        class="mt-3 border-l-4 px-3 py-2"
        :class="broken ? 'border-vermilion bg-vermilion-wash' : 'border-petrol bg-petrol-wash'"
        role="status"
      >
        {{ found }}
      </p>
      <ul v-if="backwards.length" class="mt-3 border-l-4 border-brass px-3 py-2">
        <li v-for="b in backwards" :key="b">▲ {{ b }}</li>
      </ul>
    </div>
    <CheckPaper />
    <CareOfCopies />
    <KeyExport v-if="can('back up')" />
    <FileRoom />
    <RestoreCopy v-if="can('restore')" />
    <p v-if="data" class="text-sm text-ink-2">North Needle {{ data.version }}</p>
    <HistoryList
      v-if="can('check the record')"
      id="all"
      of="house"
      title="History of settings, procedures, people, copies and refused sign-ins"
    />
  </section>
</template>
