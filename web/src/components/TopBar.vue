<script setup lang="ts">
import { computed } from 'vue'
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { useStorage } from '@vueuse/core'
import { watchEffect } from 'vue'
import SearchField from './SearchField.vue'
import { useSession } from '../composables/useSession'
import LooseEnds from './LooseEnds.vue'
import type { BenchState, Person } from '../api/client'

const props = defineProps<{ person: Person; bench?: BenchState }>()
defineEmits<{ keys: []; lock: []; signOut: [] }>()
const { can } = useSession()
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
const initials = computed(() => {
  const [first, ...rest] = props.person.name.split(' ')
  return `${first?.[0] ?? ''}. ${rest.join(' ')}`
})
const light = useStorage('light', 'day')
watchEffect(() => (document.documentElement.dataset.light = light.value))

async function allowNotes() {
  if ('Notification' in window) await Notification.requestPermission()
}
</script>

<template>
  <header class="flex h-14 items-center gap-4 border-b-2 border-ink px-4 text-[15px] whitespace-nowrap">
    <RouterLink to="/" class="flex items-center gap-2 font-bold" aria-label="North Needle, Today">
      <img src="/needle.svg" alt="" width="28" height="28" />
      <span class="hidden 2xl:inline">North Needle</span>
    </RouterLink>
    <nav class="flex h-full gap-4" aria-label="Views">
      <RouterLink
        v-for="v in views"
        :key="v.name"
        :to="{ name: v.name }"
        class="flex items-center border-b-[3px] pt-[3px]"
        :class="
          $route.name === v.name || $route.name === v.also
            ? 'border-brass font-bold text-ink'
            : 'border-transparent text-ink-2 hover:text-ink'
        "
      >
        {{ v.title }}
      </RouterLink>
    </nav>
    <div class="ml-auto flex items-center gap-4">
      <SearchField v-if="can('look')" />
      <LooseEnds v-if="can('look')" :ends="bench?.loose_ends ?? []" />
      <Menu as="div" class="relative">
        <MenuButton class="min-h-10 px-1">{{ initials }}</MenuButton>
        <MenuItems class="absolute right-0 z-30 mt-1 w-64 border-2 border-ink bg-sheet">
          <p class="border-b border-line px-4 py-2 text-sm text-ink-2">{{ person.name }}, {{ person.role }}</p>
          <MenuItem v-slot="{ active }">
            <button
              class="block min-h-11 w-full px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click="light = light === 'day' ? 'night' : 'day'"
            >
              {{ light === 'day' ? 'Night light, for dark wards' : 'Daylight' }}
            </button>
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <button class="block min-h-11 w-full px-4 text-left" :class="active && 'bg-brass-wash'" @click="allowNotes">
              Tell me when a timer ends
            </button>
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <button
              class="block min-h-11 w-full px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click="$emit('keys')"
            >
              Keys <kbd>?</kbd>
            </button>
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <RouterLink
              class="flex min-h-11 w-full items-center px-4"
              :class="active && 'bg-brass-wash'"
              :to="{ name: 'guide' }"
              >Guide</RouterLink
            >
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <RouterLink
              class="flex min-h-11 w-full items-center px-4"
              :class="active && 'bg-brass-wash'"
              :to="{ name: 'me' }"
              >Password, PIN, passkeys, sessions</RouterLink
            >
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <button
              class="block min-h-11 w-full px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click="$emit('lock')"
            >
              Lock the page
            </button>
          </MenuItem>
          <MenuItem v-slot="{ active }">
            <button
              class="block min-h-11 w-full px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click="$emit('signOut')"
            >
              Sign out
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
    </div>
  </header>
</template>
