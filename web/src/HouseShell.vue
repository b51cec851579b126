<script setup lang="ts">
import { ref } from 'vue'
import TopBar from './components/TopBar.vue'
import BenchDock from './components/BenchDock.vue'
import KeysDialog from './components/KeysDialog.vue'
import type { Person } from './api/client'
import { useBenchState, useChanges } from './composables/useBenchState'
import { useKeys } from './composables/useKeys'
import { useSession } from './composables/useSession'

/** What stands around every view: the top bar, the dock, and the word that the server is away. */
defineProps<{ person: Person }>()
const { data: bench, refetch } = useBenchState()
const connected = useChanges()
const { signOut } = useSession()
const keys = ref(false)
useKeys({ '?': () => (keys.value = true) })
</script>

<template>
  <div class="grid h-full grid-rows-[auto_auto_1fr_auto] overflow-hidden">
    <TopBar :person="person" :bench="bench" @keys="keys = true" @sign-out="signOut()" />
    <p v-if="!connected" class="bg-vermilion-wash px-4 py-2" role="status">
      No connection to the server. What was confirmed is kept; it is tried again.
    </p>
    <span v-else></span>
    <div class="relative min-h-0 overflow-auto"><RouterView :key="String($route.params.id ?? $route.name)" /></div>
    <BenchDock :runs="bench?.dock ?? []" :sequences="bench?.sequences" @ended="refetch()" />
    <KeysDialog v-if="keys" @close="keys = false" />
  </div>
</template>
