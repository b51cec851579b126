<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { queries } from '../api/queries'
import SectionTitle from '../components/SectionTitle.vue'
import { counted, dayWords, familyWords, localTime } from '../composables/words'
import { useSession } from '../composables/useSession'
import NewDraft from '../writing/NewDraft.vue'
import { useHouse } from './useHouse'

/** The procedures in use, and those that are being written. */
const { data } = useHouse()
const { data: drafts } = useQuery(queries.drafts())
const { can } = useSession()
const writing = ref(false)
const wanted = ref('')
const shown = computed(() => {
  const words = wanted.value.toLowerCase().split(/\s+/).filter(Boolean)
  return (data.value?.procedures ?? []).filter((p) => {
    const all = `${p.title} ${p.id} ${familyWords(p.family)} ${p.own ? 'own' : ''}`.toLowerCase()
    return words.every((w) => all.includes(w))
  })
})
</script>

<template>
  <section v-if="data" class="grid max-w-[1000px] gap-8">
    <div>
      <SectionTitle>Being written</SectionTitle>
      <ul class="rows">
        <li v-for="d in drafts ?? []" :key="d.id">
          <RouterLink class="block py-2 pl-2 hover:bg-brass-wash" :to="{ name: 'draft', params: { id: d.id } }">
            <span class="font-semibold">{{ d.title || d.procedure || 'without a title' }}</span>
            <span class="block text-sm text-ink-2"
              >{{ d.why || 'why is not said yet' }} · {{ d.by }}, {{ localTime(d.at) }}</span
            >
            <span v-if="can('release procedures') && !d.wrote" class="text-sm font-semibold text-brass"
              >yours to read and release</span
            >
          </RouterLink>
        </li>
        <li v-if="!drafts?.length" class="py-2 text-ink-2">Nothing is being written.</li>
      </ul>
      <button v-if="can('draft procedures')" class="btn mt-3" @click="writing = true">Write one of your own …</button>
    </div>
    <div>
      <SectionTitle>In use</SectionTitle>
      <label class="mt-3 block max-w-sm">
        <span class="label">Find a procedure</span>
        <input v-model="wanted" name="wanted" class="field" />
      </label>
      <ul class="rows mt-2">
        <li v-for="p in shown" :key="p.id">
          <RouterLink class="block py-2 pl-2 hover:bg-brass-wash" :to="{ name: 'procedure', params: { id: p.id } }">
            <span class="font-semibold">{{ p.title }}</span>
            <span v-if="p.own" class="ml-2 text-sm font-semibold text-petrol">our own</span>
            <span class="block text-sm text-ink-2"
              >{{ familyWords(p.family) }} · revision {{ p.revision }} · {{ counted(p.points, 'point') }} · about
              {{ p.minutes }} min</span
            >
            <span v-if="p.coming" class="block text-sm font-semibold text-brass"
              >revision {{ p.coming }} from {{ dayWords(p.from ?? '') }}</span
            >
          </RouterLink>
        </li>
        <li v-if="!shown.length" class="py-2 text-ink-2">None of that name.</li>
      </ul>
    </div>
    <NewDraft v-if="writing" @close="writing = false" />
  </section>
</template>
