<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { Combobox, ComboboxInput, ComboboxOption, ComboboxOptions } from '@headlessui/vue'
import { api, type Asset } from '../api/client'
import ScanDialog from '../camera/ScanDialog.vue'
import { useKeys } from '../composables/useKeys'
import { scannedName, useScanner } from '../composables/useScanner'
import { familyWords } from '../composables/words'
import { queries } from '../api/queries'

/**
 * Finds a device by tag, serial, place or model; a scanned tag opens its device at once.
 * Only what was found for the words as they stand can be chosen: who types a tag and Enter
 * faster than the answer comes gets that device, never the first of an older list.
 */
const emit = defineEmits<{ leave: [] }>()
const router = useRouter()
const text = ref('')
const search = refDebounced(text, 120)
const { data, isPlaceholderData } = useQuery(queries.search(search))

const current = computed(() => text.value === search.value && !isPlaceholderData.value && !!data.value)
const hits = computed(() => {
  const tag = text.value.trim().toUpperCase()
  const all = current.value ? data.value!.assets : []
  return [...all.filter((a) => a.tag === tag), ...all.filter((a) => a.tag !== tag)].slice(0, 12)
})
/** Enter came before the answer: the first hit is opened when it is there. */
const awaited = ref(false)
watch(text, () => (awaited.value = false))
watch(hits, (found) => {
  if (awaited.value && found[0]) open(found[0])
})
function early(event: KeyboardEvent) {
  if (current.value || !text.value.trim()) return
  event.preventDefault()
  event.stopPropagation()
  awaited.value = true
}
function open(asset: Asset | null) {
  if (!asset) return
  text.value = ''
  ;(document.activeElement as HTMLElement | null)?.blur()
  router.push({ name: 'device', params: { id: asset.tag } })
}
/** What was scanned, where nothing here is called so. */
const unknown = ref('')
useScanner(look)
async function look(code: string) {
  const name = scannedName(code)
  unknown.value = ''
  const { data: found } = await api
    .GET('/api/assets', { params: { query: { search: name } } })
    .catch(() => ({ data: undefined }))
  const is = (text: string) => text.toUpperCase() === name
  const asset = found?.assets.find((a) => is(a.tag)) ?? found?.assets.find((a) => is(a.serial))
  if (asset) {
    scanning.value = false
    open(asset)
  } else
    unknown.value = found
      ? `Nothing here has the tag or serial ${name}. Nothing was recorded.`
      : 'The server does not answer: scan again.'
}
/** A label is read with the camera. */
const scanning = ref(false)
defineExpose({ scan: () => (scanning.value = true) })
watch([text, () => router.currentRoute.value.fullPath], () => (unknown.value = ''))
function leave() {
  text.value = ''
  emit('leave')
}
useKeys({ '/': () => document.querySelector<HTMLInputElement>('#search')?.focus() })
</script>

<template>
  <Combobox
    :model-value="null"
    nullable
    as="div"
    class="relative sm:w-44 sm:focus-within:w-60"
    @update:model-value="open"
  >
    <div
      class="flex items-center border-[1.5px] border-ink-2 bg-sheet focus-within:outline-3 focus-within:outline-brass"
    >
      <ComboboxInput
        id="search"
        class="min-h-11 w-full bg-transparent px-3 focus-visible:outline-none placeholder:text-ink-2"
        placeholder="Tag, serial, place"
        aria-label="Search devices"
        autocomplete="off"
        :display-value="() => text"
        @keydown.enter.capture="early"
        @change="text = ($event.target as HTMLInputElement).value"
      />
      <kbd class="mr-2">/</kbd>
      <button type="button" class="min-h-11 min-w-11 px-2 sm:hidden" @click="leave">Close</button>
    </div>
    <p
      v-if="unknown && !scanning"
      class="absolute right-0 z-30 mt-1 w-[min(420px,100vw)] border-2 border-ink bg-vermilion-wash px-3 py-2"
      role="alert"
    >
      {{ unknown }} <button type="button" class="underline" @click="unknown = ''">Good</button>
    </p>
    <ScanDialog v-if="scanning" :note="unknown" @code="look" @close="scanning = false" />
    <ComboboxOptions
      v-if="search.trim()"
      class="absolute right-0 z-30 mt-1 max-h-[60dvh] w-[min(420px,100vw)] overflow-auto border-2 border-ink bg-sheet"
    >
      <ComboboxOption v-for="asset in hits" :key="asset.id" v-slot="{ active }" :value="asset" as="template">
        <li class="flex cursor-pointer gap-3 border-b border-line px-3 py-2" :class="active && 'bg-brass-wash'">
          <span class="num w-20 shrink-0 font-medium">{{ asset.tag }}</span>
          <span>
            {{ asset.device }}
            <span class="block text-sm text-ink-2">
              {{ familyWords(asset.family) }} · {{ asset.place }}, {{ asset.site }} · {{ asset.serial }}
            </span>
          </span>
        </li>
      </ComboboxOption>
      <li v-if="!current" class="px-3 py-3 text-ink-2">Looking …</li>
      <li v-else-if="!hits.length" class="px-3 py-3 text-ink-2">
        Nothing found for “{{ search }}”. Try the tag on the label, or part of the serial.
      </li>
    </ComboboxOptions>
  </Combobox>
</template>
