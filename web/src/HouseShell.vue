<script setup lang="ts">
import { ref, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import TopBar from './components/TopBar.vue'
import BenchDock from './components/BenchDock.vue'
import OutboxBar from './components/OutboxBar.vue'
import NewVersion from './offline/NewVersion.vue'
import UnderDialog from './components/UnderDialog.vue'
import KeysDialog from './components/KeysDialog.vue'
import type { Person } from './api/client'
import { toldAt } from './offline/remember'
import { localTime } from './composables/words'
import { useBenchState, useChanges } from './composables/useBenchState'
import { useKeys } from './composables/useKeys'
import { useSession } from './composables/useSession'

/** What stands around every view: the top bar, the dock, and the word that the server is away. */
defineProps<{ person: Person }>()
const { data: bench, refetch } = useBenchState()
const away = useChanges()
const { signOut, lock, can, person: signedIn } = useSession()
const router = useRouter()
/** An administrator keeps people and copies, and sees nothing of the work. */
const route = useRoute()
watchEffect(() => {
  if (signedIn.value && !can('look') && !['house', 'me', 'guide'].includes(String(route.name)))
    router.replace({ name: 'house', params: { sheet: 'people' } })
})
const keys = ref(false)
useKeys({ '?': () => (keys.value = true) })
</script>

<template>
  <div
    class="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_auto_minmax(0,1fr)_auto] overflow-hidden print:block print:h-auto print:overflow-visible"
  >
    <TopBar :person="person" :bench="bench" @keys="keys = true" @lock="lock()" @sign-out="signOut()" />
    <div>
      <p v-if="away" class="bg-vermilion-wash px-4 py-2" role="status">
        <b
          >The server has not answered for <span class="num">{{ away }}</span> s.</b
        >
        <template v-if="toldAt"
          >These pages are as they were at <span class="num">{{ localTime(toldAt) }}</span>.
        </template>
        What was confirmed is kept; what you type stays here and is sent once, when it answers. Live values are not of
        now. It is tried again by itself.
      </p>
      <NewVersion />
      <OutboxBar :person="person" :away="away > 0" />
    </div>
    <div class="relative min-h-0 overflow-auto print:overflow-visible">
      <RouterView :key="String($route.params.id ?? $route.name)" />
    </div>
    <BenchDock v-if="can('look')" :runs="bench?.dock ?? []" :sequences="bench?.sequences" @ended="refetch()" />
    <UnderDialog />
    <KeysDialog v-if="keys" @close="keys = false" />
  </div>
</template>
