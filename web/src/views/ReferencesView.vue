<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import CertificateForm from '../references/CertificateForm.vue'
import LotForm from '../references/LotForm.vue'
import QueryState from '../components/QueryState.vue'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { dayWords, unitWords } from '../composables/words'
import DataTable from '../components/DataTable.vue'
import { queries } from '../api/queries'

type Standard = components['schemas']['StandardView']
const { data, error, refetch } = useQuery(queries.standards())
const { can } = useSession()
const text = ref('')
const entering = ref(false)
const scanning = ref(false)
const found = computed(() =>
  (data.value ?? []).filter((s) =>
    `${s.tag} ${s.name} ${s.kind} ${s.maker}`.toLowerCase().includes(text.value.toLowerCase()),
  ),
)
function state(s: Standard): { words: string; bad: boolean; soon: boolean } {
  if (s.status !== 'usable') return { words: `in quarantine`, bad: true, soon: false }
  if (s.away) return { words: `sent out to ${s.away.to}`, bad: false, soon: true }
  if (s.days < 0) return { words: `ran out ${-s.days} days ago`, bad: true, soon: false }
  return { words: `${dayWords(s.certificate.due_on)}`, bad: false, soon: s.days < 60 }
}
function values(s: Standard): string[] {
  const pieces = (s.values ?? []).filter((v) => v.piece)
  if (pieces.length) {
    const total = pieces.reduce((sum, v) => sum + (v.value ?? 0), 0)
    return [`${pieces.length} pieces, ${total.toFixed(1)} kg in all`]
  }
  if (!s.values?.length && s.lot) return [`lot ${s.lot}`]
  return (s.values ?? []).map((v) => {
    const unit = unitWords(v.unit)
    const what = v.from || v.to ? `${v.from ?? 0} to ${v.to} ${unit}` : `${v.value} ${unit}`
    return `${v.quantity} ${what.trim()}, U ${v.u} (k = ${v.k})`
  })
}
</script>

<template>
  <main v-if="data" class="mx-auto max-w-[1400px] p-4 sm:p-6">
    <div class="flex flex-wrap items-end gap-4">
      <h1 class="mr-auto text-3xl">References</h1>
      <label class="w-64 max-w-full"
        ><span class="label">Find</span><input v-model="text" class="field" placeholder="tag, name, kind"
      /></label>
      <RouterLink :to="{ name: 'instruments' }" class="btn">Instruments</RouterLink>
      <button v-if="can('enter lots')" class="btn" @click="scanning = true">Scan a lot</button>
      <button v-if="can('keep references')" class="btn" @click="entering = true">Enter a reference</button>
    </div>
    <DataTable
      ruled
      class="mt-5"
      top
      :columns="[
        'Tag',
        'Reference',
        'Certified value and uncertainty',
        'Certificate',
        'Valid until',
        { title: 'Gas left', right: true, class: 'pr-3 whitespace-nowrap' },
        { title: 'Runs', right: true },
      ]"
    >
      <tr v-for="s in found" :key="s.id">
        <td class="py-2.5 pr-4">
          <RouterLink
            :to="{ name: 'reference', params: { id: s.tag } }"
            class="num font-medium whitespace-nowrap underline"
            >{{ s.tag }}</RouterLink
          >
        </td>
        <td class="py-2.5 pr-3">
          {{ s.name }}<span class="block text-sm text-ink-2">{{ s.maker }} · {{ s.serial }} · {{ s.place }}</span>
        </td>
        <td class="num py-2.5 pr-3 text-sm">
          <span v-for="v in values(s)" :key="v" class="block">{{ v }}</span>
        </td>
        <td class="py-2.5 pr-3">
          <span class="num text-sm">{{ s.certificate.number }}</span>
          <span class="block text-sm text-ink-2"
            >{{ s.certificate.accredited ? 'accredited' : 'in house' }}, {{ s.certificate.issuer }}</span
          >
        </td>
        <td
          class="py-2.5 pr-3"
          :class="state(s).bad ? 'font-semibold text-vermilion' : state(s).soon ? 'font-semibold text-brass' : ''"
        >
          {{ state(s).bad ? '◆ ' : '' }}{{ state(s).words }}
          <span v-if="state(s).soon" class="block text-sm font-normal">in {{ s.days }} days</span>
          <span v-if="s.note" class="block max-w-60 text-sm font-normal">{{ s.note }}</span>
        </td>
        <td class="num py-2.5 pr-3 text-right">
          <template v-if="s.usable_l !== undefined">
            {{ Math.round(s.usable_l) }} L<span class="block text-sm text-ink-2">{{ s.cylinder?.gauge_bar }} bar</span>
          </template>
        </td>
        <td class="num py-2.5 text-right">
          {{ s.uses || '' }}
        </td>
      </tr>
    </DataTable>
    <p v-if="!found.length" class="mt-6">
      No reference matches. <button class="underline" @click="text = ''">Show all</button>
    </p>
    <LotForm v-if="scanning" @close="scanning = false" />
    <CertificateForm v-if="entering" @close="entering = false" />
  </main>
  <QueryState v-else :error="error" what="references" @again="refetch()" />
</template>
