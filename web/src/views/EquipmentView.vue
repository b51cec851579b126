<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useInfiniteQuery } from '@tanstack/vue-query'
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'
import { refDebounced } from '@vueuse/core'
import QueryState from '../components/QueryState.vue'
import RiskMark from '../components/RiskMark.vue'
import StateMark from '../components/StateMark.vue'
import NewDevice from '../components/NewDevice.vue'
import { useHouse } from '../house/useHouse'
import { useSession } from '../composables/useSession'
import { dueWords, familyWords } from '../composables/words'
import DataTable from '../components/DataTable.vue'
import { queries } from '../api/queries'

const { data: house } = useHouse()
const families = computed(() => house.value?.families ?? [])
const router = useRouter()
const { can } = useSession()
const text = ref('')
const family = ref('')
const status = ref('')
const entering = ref(false)
const search = refDebounced(text, 150)
const { data, error, refetch, hasNextPage, fetchNextPage, isFetching } = useInfiniteQuery(
  queries.assets(search, family, status),
)
const assets = computed(() => data.value?.pages.flatMap((p) => p.assets) ?? [])
watch([search, family, status], () => window.scrollTo(0, 0))
</script>

<template>
  <main class="mx-auto max-w-[1400px] p-6">
    <div class="flex flex-wrap items-end gap-4">
      <h1 class="mr-auto text-3xl">Equipment</h1>
      <label class="w-52"
        ><span class="label">Find</span
        ><input v-model="text" class="field" name="find" placeholder="tag, serial, model, place"
      /></label>
      <label class="w-44">
        <span class="label">Family</span>
        <select v-model="family" class="field">
          <option value="">every family</option>
          <option v-for="f in families" :key="f" :value="f">{{ familyWords(f) }}</option>
        </select>
      </label>
      <label class="w-32">
        <span class="label">Status</span>
        <select v-model="status" class="field">
          <option value="">any</option>
          <option>in use</option>
          <option>out of use</option>
          <option>retired</option>
        </select>
      </label>
      <a
        class="btn inline-flex items-center"
        :href="`/api/labels.pdf?search=${encodeURIComponent(text)}`"
        target="_blank"
        >Labels (PDF)</a
      >
      <Menu as="div" class="relative">
        <MenuButton class="btn">Inspection …</MenuButton>
        <MenuItems class="absolute right-0 z-20 mt-1 w-72 border-2 border-ink bg-sheet">
          <p class="border-b border-line px-4 py-2 text-sm text-ink-2">
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
      <button v-if="can('enter devices')" class="btn" @click="entering = true">Enter a device</button>
    </div>

    <DataTable
      v-if="assets.length"
      ruled
      class="mt-5"
      :columns="['Tag', 'Device', 'Family', 'Place', 'Serial', 'Risk', 'Stands', { title: 'Next', right: true }]"
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
        <td>{{ familyWords(a.family) }}</td>
        <td>
          {{ a.place }}<span class="text-ink-2">, {{ a.site }}</span>
        </td>
        <td class="num text-sm">{{ a.serial }}</td>
        <td><RiskMark :risk="a.risk" /></td>
        <td><StateMark :stands="a" /></td>
        <td class="text-right" :class="a.days < 0 && 'font-semibold text-vermilion'">
          {{ a.due_on ? dueWords(a.days) : 'nothing planned' }}
        </td>
      </tr>
    </DataTable>
    <p v-else-if="data" class="mt-8 text-lg">
      No device matches.
      <button class="underline" @click="text = family = status = ''">Show every device</button>
    </p>
    <QueryState v-else :error="error" what="register" @again="refetch()" />
    <button v-if="hasNextPage" class="btn mt-4" :disabled="isFetching" @click="fetchNextPage()">Show more</button>
    <p v-else-if="assets.length" class="mt-4 text-sm text-ink-2">{{ assets.length }} devices, the whole list.</p>
    <NewDevice v-if="entering" :families="families" @close="entering = false" />
  </main>
</template>
