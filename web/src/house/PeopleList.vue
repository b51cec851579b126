<script setup lang="ts">
import { ref } from 'vue'
import AlertNote from '../components/AlertNote.vue'
import DataTable from '../components/DataTable.vue'
import { api } from '../api/client'
import { useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'

/** People as a list: it is read first; who is registered then gets a one-time password, which is shown this once. */
const { refreshAll } = useCached()
const { trouble, sending, send } = useSend()
const file = ref<File>()
const list = ref<components['schemas']['PersonListView']>()

async function read(take: boolean) {
  const read = await send(() =>
    api.POST('/api/house/people-list', {
      params: { query: { take } },
      body: file.value as never,
      bodySerializer: (b: unknown) => b as Blob,
      headers: { 'Content-Type': 'application/octet-stream' },
    }),
  )
  if (!read) return
  list.value = read
  if (read.done) refreshAll()
}
function choose(event: Event) {
  const input = event.target as HTMLInputElement
  file.value = input.files?.[0]
  input.value = ''
  list.value = undefined
  if (file.value) read(false)
}
/** The slips are cut apart and given by hand: one window prints them, and keeps nothing. */
const print = () => window.print()
</script>

<template>
  <div class="max-w-3xl border-t border-line pt-4">
    <h2 class="text-lg">People as a list</h2>
    <p class="text-ink-2">
      CSV or a workbook, with the columns <span class="num">name, role</span>; it may have
      <span class="num">mail, may_sign_in</span>. A list never has passwords: they are made here, one for each.
    </p>
    <div class="mt-2 flex flex-wrap items-center gap-4">
      <label class="btn inline-flex cursor-pointer items-center">
        Choose a list of people
        <input type="file" accept=".csv,.txt,.tsv,.xlsx" class="sr-only" @change="choose" />
      </label>
      <span class="text-ink-2">Take out:</span>
      <a
        v-for="format in ['csv', 'xlsx', 'json']"
        :key="format"
        class="inline-flex min-h-11 min-w-14 items-center justify-center underline"
        :href="`/api/house/people-list?format=${format}`"
        :aria-label="`People as ${format.toUpperCase()}`"
        >{{ format.toUpperCase() }}</a
      >
    </div>
    <AlertNote class="mt-3" :words="trouble" />
    <div
      v-if="list"
      class="mt-3 border-2 border-ink bg-sheet p-4"
      :class="list.done && 'print-alone'"
      aria-live="polite"
    >
      <template v-if="list.people.length">
        <p v-if="list.done" class="text-lg font-semibold text-petrol">
          ● {{ list.people.length === 1 ? 'One person is' : `${list.people.length} people are` }} registered.
        </p>
        <p v-if="list.done" class="border-l-4 border-warn bg-brass-wash px-3 py-2">
          These one-time passwords are shown this once. Print them, cut them apart, and give each by hand: they open
          nothing but a change of password.
        </p>
        <DataTable ruled :columns="['Line', 'Name', 'Role', list.done ? 'One-time password' : '']">
          <tr v-for="p in list.people" :key="p.line">
            <td class="num py-2">{{ p.line }}</td>
            <td class="py-2 font-medium">
              {{ p.name }}
              <span v-if="p.like" class="block text-sm text-warn">
                ▲ Looks the same as {{ p.like }}, and is written with other letters: are they one?
              </span>
            </td>
            <td>{{ p.role }}</td>
            <td class="num">{{ p.active ? p.password : 'may not sign in' }}</td>
          </tr>
        </DataTable>
        <div class="mt-3 flex gap-3 print:hidden">
          <button v-if="!list.done" class="btn btn-main" :disabled="sending" @click="read(true)">
            Register {{ list.people.length === 1 ? 'them' : `the ${list.people.length}` }}
          </button>
          <template v-else>
            <button class="btn btn-main" @click="print">Print them</button>
            <button class="btn" @click="list = undefined">They are given: forget them</button>
          </template>
        </div>
      </template>
      <p v-else class="text-lg">Nobody of this list can be registered.</p>
      <p v-if="list.ignored.length" class="mt-2 text-sm text-ink-2">
        Not read: the columns {{ list.ignored.join(', ') }}.
      </p>
      <ul v-if="list.refused.length" class="rows mt-3 max-h-64 overflow-auto text-sm">
        <li v-for="(r, i) in list.refused" :key="i" class="py-1">
          line <b class="num">{{ r.line }}</b>{{ r.field ? `, ${r.field}` : '' }}: {{ r.why }}
        </li>
      </ul>
    </div>
  </div>
</template>
