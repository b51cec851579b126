<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import { useEventListener, useIntervalFn } from '@vueuse/core'
import { useRegisterSW } from 'virtual:pwa-register/vue'
import { entries } from '../composables/outbox'

/** A new version of the pages waits: it is taken between runs, never within one, and not before what was kept is sent. */
const route = useRoute()
let registration: ServiceWorkerRegistration | undefined
const { needRefresh, updateServiceWorker } = useRegisterSW({ onRegisteredSW: (_, r) => (registration = r) })
const between = computed(() => route.name !== 'run' && !entries.value.length)
const look = () => document.visibilityState === 'visible' && registration?.update().catch(() => {})
useEventListener(document, 'visibilitychange', look)
useIntervalFn(look, 30 * 60_000)
</script>

<template>
  <p v-if="needRefresh && between" class="flex flex-wrap items-center gap-3 bg-petrol-wash px-4 py-1.5" role="status">
    <span><b>A new version of these pages is ready.</b> It takes a moment; nothing is lost.</span>
    <button class="btn" @click="updateServiceWorker()">Take it now</button>
  </p>
</template>
