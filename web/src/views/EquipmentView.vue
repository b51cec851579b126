<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import StateMark from '../components/StateMark.vue'
import NewDevice from '../components/NewDevice.vue'
import ChangeTogether from '../equipment/ChangeTogether.vue'
import LabelSheets from '../equipment/LabelSheets.vue'
import RegisterFilters from '../equipment/RegisterFilters.vue'
import { columns, useRegister } from '../equipment/useRegister'
import { useHouse } from '../house/useHouse'
import { useSession } from '../composables/useSession'
import { dueWords, familyWords } from '../composables/words'
import DataTable from '../components/DataTable.vue'
import { queries } from '../api/queries'

/** The register: every device that is meant, how it stands, and what is done to all of them together. */
const { data: house } = useHouse()
const families = computed(() => house.value?.families ?? [])
const router = useRouter()
const { can } = useSession()
const register = useRegister()
const { filter, shown, desc, fields, address } = register
const doing = ref<'enter' | 'labels' | 'together'>()
const { data, error, refetch, hasNextPage, fetchNextPage, isFetching, isPlaceholderData } = useInfiniteQuery(
  queries.assets(filter),
)
const { data: choices } = useQuery(queries.choices(() => ''))
const assets = computed(() => data.value?.pages.flatMap((p) => p.assets) ?? [])
const total = computed(() => data.value?.pages[0]?.total ?? 0)
const titles = computed(() =>
  columns
    .filter((c) => shown.value.includes(c.id))
    .map((c) => ({ title: c.title, sort: c.unsorted ? undefined : c.id, right: c.id === 'due' })),
)
const counted = computed(() => (total.value === 1 ? 'device' : 'devices'))
const has = (id: string) => shown.value.includes(id)
watch(filter, () => window.scrollTo(0, 0))
const files = [
  { words: 'CSV', format: 'csv' },
  { words: 'Workbook (XLSX)', format: 'xlsx' },
  { words: 'JSON', format: 'json' },
]
</script>

<template>
  <main class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <div class="flex flex-wrap items-center gap-3">
      <h1 class="text-3xl">Equipment</h1>
      <p v-if="data" class="mr-auto self-end pb-1 text-ink-2" aria-live="polite">
        <b class="num text-lg text-ink">{{ total.toLocaleString('en') }}</b> {{ counted }}
        <template v-if="register.narrowed.value"
          >shown ·
          <button type="button" class="min-h-11 text-ink underline" @click="register.clear()">every device</button>
        </template>
      </p>
      <span v-else class="mr-auto"></span>
      <button class="btn" :disabled="!total" @click="doing = 'labels'">Labels …</button>
      <button v-if="can('import')" class="btn" :disabled="!total" @click="doing = 'together'">Change together …</button>
      <Menu as="div" class="relative">
        <MenuButton class="btn">Hand out …</MenuButton>
        <MenuItems class="absolute right-0 z-20 mt-1 max-h-[70vh] w-72 overflow-auto border-2 border-ink bg-sheet">
          <p class="border-b border-line px-4 py-2 text-sm text-ink-2">
            The {{ total }} {{ counted }} shown, as a list
          </p>
          <MenuItem v-for="f in files" :key="f.format" v-slot="{ active }">
            <a
              class="flex min-h-11 items-center px-4"
              :class="active && 'bg-brass-wash'"
              :href="`/api/lists/equipment?format=${f.format}&${address}`"
              >{{ f.words }}</a
            >
          </MenuItem>
          <p class="border-y border-line px-4 py-2 text-sm text-ink-2">
            What there is at a site, to go round with (PDF)
          </p>
          <MenuItem v-for="s in house?.sites ?? []" :key="s" v-slot="{ active }">
            <a
              class="flex min-h-11 items-center px-4"
              :class="active && 'bg-brass-wash'"
              :href="`/api/inspection.pdf?site=${encodeURIComponent(s)}`"
              target="_blank"
              >{{ s }}</a
            >
          </MenuItem>
        </MenuItems>
      </Menu>
      <Menu as="div" class="relative">
        <MenuButton class="btn">Columns …</MenuButton>
        <MenuItems class="absolute right-0 z-20 mt-1 w-60 border-2 border-ink bg-sheet">
          <MenuItem v-for="c in columns.filter((c) => !c.always)" :key="c.id" v-slot="{ active }" as="template">
            <button
              type="button"
              role="menuitemcheckbox"
              :aria-checked="has(c.id)"
              class="flex min-h-11 w-full items-center gap-3 px-4 text-left"
              :class="active && 'bg-brass-wash'"
              @click.prevent="register.show(c.id, !has(c.id))"
            >
              <span class="w-5 text-lg" aria-hidden="true">{{ has(c.id) ? '✓' : '' }}</span>{{ c.title }}
            </button>
          </MenuItem>
        </MenuItems>
      </Menu>
      <button v-if="can('enter devices')" class="btn" @click="doing = 'enter'">Enter a device</button>
    </div>
    <RegisterFilters class="mt-4" :register="register" :families="families" />

    <DataTable
      v-if="assets.length"
      ruled
      class="mt-4"
      :class="isPlaceholderData && 'opacity-60'"
      :columns="titles"
      :sorted="fields.sort.value || 'tag'"
      :desc="desc"
      @sort="register.sort"
    >
      <tr
        v-for="a in assets"
        :key="a.id"
        class="cursor-pointer hover:bg-brass-wash"
        @click="router.push({ name: 'device', params: { id: a.tag } })"
      >
        <td class="py-2.5">
          <RouterLink class="num font-medium underline" :to="{ name: 'device', params: { id: a.tag } }" @click.stop>
            {{ a.tag }}
          </RouterLink>
        </td>
        <td>{{ a.device }}</td>
        <td v-if="has('family')">{{ familyWords(a.family) }}</td>
        <td v-if="has('place')">
          {{ a.place }}<span class="text-ink-2">{{ a.place ? ', ' : '' }}{{ a.site }}</span>
        </td>
        <td v-if="has('serial')" class="num text-sm">{{ a.serial }}</td>
        <td v-if="has('owner')">{{ a.owner }}</td>
        <td v-if="has('keeper')">{{ a.keeper }}</td>
        <td v-if="has('risk')"><RiskMark :risk="a.risk" /></td>
        <td v-if="has('stands')"><StateMark :stands="a" /></td>
        <td v-if="has('due')" class="text-right" :class="a.days < 0 && 'font-semibold text-vermilion'">
          {{ a.due_on ? dueWords(a.days) : 'nothing planned' }}
        </td>
      </tr>
    </DataTable>
    <p v-else-if="data" class="mt-8 text-lg">
      No device matches.
      <button class="underline" @click="register.clear()">Show every device</button>
    </p>
    <QueryState v-else :error="error" what="register" @again="refetch()" />
    <p v-if="hasNextPage" class="mt-4 flex items-center gap-4">
      <button class="btn" :disabled="isFetching" @click="fetchNextPage()">Show more</button>
      <span class="num text-ink-2">{{ assets.length }} of {{ total.toLocaleString('en') }}</span>
    </p>
    <p v-else-if="assets.length" class="mt-4 text-sm text-ink-2">
      The whole list.
      <template v-if="!register.narrowed.value">What is retired is found by a search, or under “It stands”.</template>
    </p>
    <NewDevice v-if="doing === 'enter'" :families="families" @close="doing = undefined" />
    <LabelSheets v-if="doing === 'labels'" :filter="filter" :total="total" @close="doing = undefined" />
    <ChangeTogether
      v-if="doing === 'together'"
      :filter="filter"
      :total="total"
      :sites="choices?.sites ?? []"
      @close="doing = undefined"
    />
  </main>
</template>
