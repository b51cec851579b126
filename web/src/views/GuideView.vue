<script setup lang="ts">
import { computed, ref } from 'vue'
import { pages, found } from '../guide/pages'

/** How things are done, a page a task: searched, read, printed. */
const props = defineProps<{ page?: string }>()
const search = ref('')
const listed = computed(() => found(search.value))
const shown = computed(() =>
  props.page === 'all' ? pages : pages.filter((p) => p.id === (props.page || pages[0]!.id)),
)
const print = () => window.print()
</script>

<template>
  <main class="mx-auto grid max-w-[1200px] gap-8 p-4 sm:p-6 lg:grid-cols-[300px_minmax(0,1fr)] print:block print:p-0">
    <nav aria-label="Guide" class="print:hidden">
      <h1 class="text-3xl">Guide</h1>
      <label class="mt-3 block"
        ><span class="label">What do you want to do?</span
        ><input v-model="search" name="guide" type="search" class="field" autocomplete="off"
      /></label>
      <ul class="rows mt-3 border-t-2 border-ink">
        <li v-for="p in listed" :key="p.id">
          <RouterLink
            class="flex min-h-11 items-center py-1 pl-2 hover:bg-brass-wash"
            :class="p.id === shown[0]?.id && shown.length === 1 && 'border-l-4 border-brass bg-sheet font-semibold'"
            :to="{ name: 'guide', params: { page: p.id } }"
            >{{ p.title }}</RouterLink
          >
        </li>
      </ul>
      <p v-if="!listed.length" class="mt-3 text-ink-2">No page has all of these words.</p>
      <div class="mt-5 flex flex-wrap gap-3">
        <button class="btn" @click="print">Print {{ shown.length > 1 ? 'all of it' : 'this page' }}</button>
        <RouterLink
          v-if="shown.length === 1"
          class="inline-flex min-h-11 items-center underline"
          :to="{ name: 'guide', params: { page: 'all' } }"
          >All pages together</RouterLink
        >
      </div>
    </nav>
    <div>
      <!-- eslint-disable vue/no-v-html -- it is our own text, made when the program is built -->
      <article v-for="p in shown" :key="p.id" class="guide" v-html="p.html"></article>
      <!-- eslint-enable vue/no-v-html -->
      <p v-if="!shown.length" class="text-ink-2">There is no such page. Choose one at the side.</p>
    </div>
  </main>
</template>
