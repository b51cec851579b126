<script setup lang="ts">
import { ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import DataTable from '../components/DataTable.vue'
import QueryState from '../components/QueryState.vue'
import InstrumentForm from '../references/InstrumentForm.vue'
import InstrumentSheet from '../references/InstrumentSheet.vue'
import LinkState from '../references/LinkState.vue'
import { queries } from '../api/queries'
import { useSession } from '../composables/useSession'
import { dayWords, localTime } from '../composables/words'

/** The instruments: what is connected, by which profile, and who holds it. */
defineProps<{ id?: string }>()
const { data, error, refetch } = useQuery(queries.instruments())
const { can } = useSession()
const entering = ref(false)
</script>

<template>
  <InstrumentSheet v-if="id" :id="id" :key="id" />
  <main v-else-if="data" class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <div class="flex flex-wrap items-end gap-4">
      <h1 class="mr-auto text-3xl">Instruments</h1>
      <RouterLink :to="{ name: 'references' }" class="btn">References</RouterLink>
      <button v-if="can('keep instruments')" class="btn btn-main" @click="entering = true">
        Connect an instrument
      </button>
    </div>
    <p class="mt-2 max-w-[80ch] text-ink-2">
      An instrument is a reference, or a device, with a link. It serves one run and one person at a time; looking at a
      run sets nothing.
    </p>
    <DataTable
      v-if="data.length"
      ruled
      top
      class="mt-4"
      :columns="['Instrument', 'Is', 'Link', 'Holder', 'Profile', 'Address']"
    >
      <tr v-for="i in data" :key="i.id" :class="i.retired && 'text-ink-2'">
        <td class="py-2.5 pr-4">
          <RouterLink :to="{ name: 'instruments', params: { id: i.id } }" class="font-medium underline">{{
            i.name
          }}</RouterLink>
        </td>
        <td class="py-2.5 pr-4">
          <template v-if="i.belongs">
            <span class="num font-medium">{{ i.belongs }}</span> {{ i.reference }}
            <span v-if="i.due" class="block text-sm" :class="i.overdue ? 'font-semibold text-vermilion' : 'text-ink-2'"
              >{{ i.overdue ? '◆ its certificate ran out' : 'certificate until' }} {{ dayWords(i.due) }}</span
            >
          </template>
          <span v-else class="text-ink-2">nobody’s: serves what needs its kind</span>
        </td>
        <td class="py-2.5 pr-4"><LinkState :instrument="i" /></td>
        <td class="py-2.5 pr-4">
          <template v-if="i.link?.holder">
            {{ i.link.holder.name }}
            <span class="block text-sm text-ink-2"
              >for <span class="num">{{ i.link.holder.device }}</span> since
              <span class="num">{{ localTime(i.link.holder.since) }}</span></span
            >
          </template>
          <span v-else class="text-ink-2">free</span>
        </td>
        <td class="py-2.5 pr-4 text-sm">{{ i.profile }}</td>
        <td class="num py-2.5 text-sm break-all">{{ i.transport }} {{ i.address }}</td>
      </tr>
    </DataTable>
    <p v-else class="mt-6 border-2 border-ink bg-sheet p-5">
      Nothing is connected yet: every reading is typed.
      <template v-if="can('keep instruments')">Connect an instrument, and runs read it by themselves.</template>
      <template v-else>A lead connects instruments.</template>
    </p>
    <InstrumentForm v-if="entering" @close="entering = false" />
  </main>
  <QueryState v-else :error="error" what="instruments" @again="refetch()" />
</template>
