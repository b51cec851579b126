<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import DataTable from '../components/DataTable.vue'
import QueryState from '../components/QueryState.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { queries } from '../api/queries'
import { localDay } from '../composables/words'

/** What was tried at the door, and who was let do what: no secret stands in it. */
const { data, error, refetch } = useQuery(queries.history('security', 'all', ref(true)))
const wanted = ref('')
const kinds = computed(() => [...new Set(data.value?.map((e) => e.what))].sort())
const shown = computed(() => data.value?.filter((e) => !wanted.value || e.what === wanted.value) ?? [])
const time = (at: string) => new Date(at).toLocaleTimeString('en-GB')
const said = (column: string) => !/^(id|demo|at|key|value|.*_id|.*hash)$/.test(column)
</script>

<template>
  <section class="max-w-5xl">
    <SectionTitle>What was tried, and who may do what</SectionTitle>
    <p class="py-1 text-ink-2">
      Refused sign-ins, people and their roles, competences, tokens, keys, copies and what was handed out, the newest
      first.
    </p>
    <QueryState v-if="!data" what="security log" :error="error" @again="refetch" />
    <template v-else>
      <label class="mt-2 block max-w-xs">
        <span class="label">Only</span>
        <select v-model="wanted" name="only" class="field">
          <option value="">everything</option>
          <option v-for="k in kinds" :key="k">{{ k }}</option>
        </select>
      </label>
      <DataTable ruled class="mt-3" :columns="['When', 'What', 'By', 'Said']">
        <tr v-for="(e, i) in shown" :key="i" class="align-top">
          <td class="num py-2 pr-4 whitespace-nowrap">{{ localDay(e.at) }} {{ time(e.at) }}</td>
          <td class="py-2 pr-4 font-semibold" :class="e.what.includes('refused') ? 'text-vermilion' : ''">
            {{ e.what }}
          </td>
          <td class="py-2 pr-4">{{ e.by }}</td>
          <td class="py-2">
            {{ e.why }}
            <span
              v-for="c in e.changes.filter((c) => said(c.column) && (c.before || c.after))"
              :key="c.column"
              class="mr-3 inline-block text-ink-2"
              >{{ c.column.replaceAll('_', ' ') }}: <template v-if="c.before">{{ c.before.slice(0, 60) }} → </template
              ><b class="text-ink">{{ c.after.slice(0, 60) || 'nothing' }}</b></span
            >
          </td>
        </tr>
      </DataTable>
    </template>
  </section>
</template>
