<script setup lang="ts">
import { computed, nextTick, ref, watch, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { useStorage } from '@vueuse/core'
import SearchField from './SearchField.vue'
import { useDesk } from '../composables/useDesk'
import { useSession } from '../composables/useSession'
import LooseEnds from './LooseEnds.vue'
import type { BenchState, Person } from '../api/client'

/** Where one is and may go: on a desk every view by its name; in the hand one name, which opens the others. */
const props = defineProps<{ person: Person; bench?: BenchState }>()
const emit = defineEmits<{ keys: []; lock: []; signOut: [] }>()
const { can } = useSession()
const desk = useDesk()
const route = useRoute()
const views = [
  { name: 'today', title: 'Today' },
  { name: 'bench', title: 'Bench', also: 'run' },
  { name: 'equipment', title: 'Equipment', also: 'device' },
  { name: 'references', title: 'References', also: 'reference' },
  { name: 'rounds', title: 'Rounds', also: 'intervals' },
  { name: 'control', title: 'Control' },
  { name: 'look-back', title: 'Look-back' },
  { name: 'reports', title: 'Reports' },
  { name: 'workings', title: 'Workings' },
  { name: 'house', title: 'House' },
].filter((v) => v.name === 'house' || can('look'))
const isAt = (v: (typeof views)[number]) => route.name === v.name || route.name === v.also
const here = computed(() => views.find(isAt)?.title ?? 'Views')
const initials = computed(() => {
  const [first, ...rest] = props.person.name.split(' ')
  return `${first?.[0] ?? ''}. ${rest.join(' ')}`
})
const short = computed(() => props.person.name.replace(/(\S)\S*\s*/g, '$1.'))
const light = useStorage('light', 'day')
watchEffect(() => (document.documentElement.dataset.light = light.value))

async function allowNotes() {
  if ('Notification' in window) await Notification.requestPermission()
}
const own = computed(() => [
  {
    words: light.value === 'day' ? 'Night light, for dark wards' : 'Daylight',
    does: () => (light.value = light.value === 'day' ? 'night' : 'day'),
  },
  { words: 'Tell me when a timer ends', does: allowNotes },
  ...(desk.value ? [{ words: 'Keys', key: '?', does: () => emit('keys') }] : []),
  { words: 'Guide', to: 'guide' },
  { words: 'Password, PIN, passkeys, sessions', to: 'me' },
  { words: 'Lock the page', does: () => emit('lock') },
  { words: 'Sign out', does: () => emit('signOut') },
])
/** On a phone the field to search takes the whole bar, for as long as something is searched. */
const search = ref<InstanceType<typeof SearchField>>()
const finding = ref(false)
async function find() {
  finding.value = true
  await nextTick()
  document.querySelector<HTMLInputElement>('#search')?.focus()
}
watch(
  () => route.fullPath,
  () => (finding.value = false),
)
</script>

<template>
  <header
    class="relative flex min-h-14 items-center gap-2 border-b-2 border-ink px-2 text-[0.9375rem] sm:gap-4 sm:px-4 xl:whitespace-nowrap"
  >
    <RouterLink
      to="/"
      class="flex min-h-11 min-w-11 shrink-0 items-center gap-2 font-bold max-xl:justify-center"
      aria-label="North Needle, Today"
    >
      <img src="/needle.svg" alt="" width="28" height="28" />
      <span class="hidden 2xl:inline">North Needle</span>
    </RouterLink>
    <nav v-if="desk" class="flex h-14 gap-4" aria-label="Views">
      <RouterLink
        v-for="v in views"
        :key="v.name"
        :to="{ name: v.name }"
        class="flex items-center border-b-[3px] pt-[3px]"
        :class="isAt(v) ? 'border-brass font-bold text-ink' : 'border-transparent text-ink-2 hover:text-ink'"
      >
        {{ v.title }}
      </RouterLink>
    </nav>
    <Menu v-else as="nav" class="min-w-0" aria-label="Views">
      <MenuButton class="flex min-h-11 max-w-full min-w-11 items-center gap-2 font-bold sm:text-lg">
        <span class="truncate border-b-[3px] border-brass">{{ here }}</span><span aria-hidden="true">▾</span>
      </MenuButton>
      <MenuItems
        class="absolute inset-x-0 top-full z-30 grid max-h-[80dvh] grid-cols-2 overflow-auto border-y-2 border-ink bg-sheet sm:right-auto sm:w-[30rem] sm:border-r-2"
      >
        <MenuItem v-for="v in views" :key="v.name" v-slot="{ active }" as="template">
          <RouterLink
            :to="{ name: v.name }"
            class="flex min-h-14 min-w-0 items-center border-b border-line px-4 text-lg odd:border-r"
            :class="[active && 'bg-brass-wash', isAt(v) && 'font-bold shadow-[inset_4px_0_var(--brass)]']"
            >{{ v.title }}</RouterLink
          >
        </MenuItem>
      </MenuItems>
    </Menu>
    <div class="ml-auto flex shrink-0 items-center gap-1 sm:gap-4 xl:min-w-0 xl:shrink">
      <SearchField
        v-if="can('look')"
        ref="search"
        :class="finding ? 'max-sm:absolute max-sm:inset-0 max-sm:z-30 max-sm:bg-paper max-sm:p-1.5' : 'max-sm:hidden'"
        @leave="finding = false"
      />
      <button
        v-if="can('look')"
        class="grid min-h-11 min-w-11 place-items-center sm:hidden"
        aria-label="Find a device"
        @click="find"
      >
        <svg
          width="22"
          height="22"
          viewBox="0 0 22 22"
          fill="none"
          stroke="currentColor"
          stroke-width="2.2"
          aria-hidden="true"
        >
          <circle cx="9.5" cy="9.5" r="6.5" />
          <path d="M14.5 14.5 20 20" />
        </svg>
      </button>
      <button
        v-if="can('look')"
        class="grid min-h-11 min-w-11 place-items-center xl:hidden 2xl:grid"
        aria-label="Scan a label"
        title="Scan a label with the camera"
        @click="search?.scan()"
      >
        <svg
          width="24"
          height="22"
          viewBox="0 0 24 22"
          fill="none"
          stroke="currentColor"
          stroke-width="2"
          aria-hidden="true"
        >
          <path d="M2 7V2h5M17 2h5v5M22 15v5h-5M7 20H2v-5" />
          <path d="M7 7v8M10.5 7v8M13 7v8M17 7v8" />
        </svg>
      </button>
      <LooseEnds v-if="can('look')" :ends="bench?.loose_ends ?? []" />
      <Menu as="div" class="sm:relative">
        <MenuButton class="min-h-11 min-w-11 px-1"
          ><span class="max-sm:hidden">{{ initials }}</span
          ><span class="sm:hidden">{{ short }}</span
          ><span class="sr-only"> {{ person.name }}: your own</span></MenuButton
        >
        <MenuItems
          class="absolute right-0 z-30 mt-1 max-h-[80dvh] w-64 overflow-auto border-2 border-ink bg-sheet whitespace-normal max-sm:left-0 max-sm:w-auto"
        >
          <p class="border-b border-line px-4 py-2 text-sm text-ink-2">{{ person.name }}, {{ person.role }}</p>
          <MenuItem v-for="o in own" :key="o.words" v-slot="{ active }">
            <RouterLink
              v-if="o.to"
              class="flex min-h-11 w-full items-center px-4"
              :class="active && 'bg-brass-wash'"
              :to="{ name: o.to }"
              >{{ o.words }}</RouterLink
            >
            <button
              v-else
              class="block min-h-11 w-full px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click="o.does?.()"
            >
              {{ o.words }} <kbd v-if="o.key">{{ o.key }}</kbd>
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
    </div>
  </header>
</template>
