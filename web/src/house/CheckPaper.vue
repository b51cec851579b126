<script setup lang="ts">
import { ref } from 'vue'
import StateMark from '../components/StateMark.vue'
import AlertNote from '../components/AlertNote.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { localDay, localTime } from '../composables/words'

/** A certificate is dropped here: is it ours, is it as it was issued, and does it still stand? */
type Paper = components['schemas']['PaperView']
const { trouble, sending, send } = useSend()
const paper = ref<Paper>()
const name = ref('')
const over = ref(false)
async function check(file: File | undefined) {
  over.value = false
  if (!file) return
  name.value = file.name
  paper.value = undefined
  paper.value = await send(() =>
    api.POST('/api/papers/check', {
      body: file as never,
      headers: { 'Content-Type': 'application/pdf' },
      bodySerializer: (body) => body as never,
    }),
  )
}
const words = {
  genuine: 'Genuine, as it was issued',
  rewritten: 'Not the file that was issued',
  altered: 'Changed after it was issued',
  'not ours': 'Not ours',
}
const standing = {
  stands: 'It stands.',
  'counts no more': 'It counts no more.',
  'not known': 'Whether it still stands is not known here.',
  'not countersigned': 'It is a draft.',
}
</script>

<template>
  <div>
    <SectionTitle>Check a paper</SectionTitle>
    <label
      class="mt-2 grid min-h-28 cursor-pointer place-items-center border-2 border-dashed px-4 py-5 text-center"
      :class="over ? 'border-brass bg-brass-wash' : 'border-ink-2'"
      @dragover.prevent="over = true"
      @dragleave="over = false"
      @drop.prevent="check($event.dataTransfer?.files[0])"
    >
      <span>
        <b>{{ sending ? 'Checking …' : 'Drop a certificate here, or choose its PDF' }}</b>
        <span class="block text-sm text-ink-2">The file as it was sent, not a scan of it.</span>
      </span>
      <input
        type="file"
        name="paper"
        accept="application/pdf"
        class="sr-only"
        @change="check(($event.target as HTMLInputElement).files?.[0])"
      />
    </label>
    <AlertNote class="mt-3" :words="trouble" />
    <div
      v-if="paper"
      class="mt-3 border-l-4 px-3 py-2"
      :class="
        paper.finding === 'genuine' && paper.standing === 'stands'
          ? 'border-petrol bg-petrol-wash'
          : paper.finding === 'genuine'
            ? 'border-brass bg-brass-wash'
            : 'border-vermilion bg-vermilion-wash'
      "
      role="status"
    >
      <p class="text-lg font-semibold">{{ paper.finding === 'genuine' ? '✓' : '✕' }} {{ words[paper.finding] }}</p>
      <p class="text-sm text-ink-2">{{ name }}</p>
      <p v-if="paper.number" class="mt-1">
        Certificate <b>{{ paper.number }}</b>, {{ paper.lab
        }}<template v-if="paper.signed"
          >, signed {{ localDay(paper.signed) }}, {{ localTime(paper.signed) }} by {{ paper.by }}</template
        >
      </p>
      <ul v-if="paper.where.length" class="mt-1 list-inside list-[square]">
        <li v-for="w in paper.where" :key="w">{{ w }}</li>
      </ul>
      <p v-if="paper.number" class="mt-1">
        <b>{{ standing[paper.standing] }}</b> {{ paper.why }}
        <RouterLink
          v-if="paper.run && paper.standing !== 'not known'"
          class="underline"
          :to="{ name: 'run', params: { id: paper.run } }"
          >See the run in the record</RouterLink
        >
      </p>
      <p v-if="paper.device" class="mt-1">
        The device today, whatever the paper says of its day: <StateMark :stands="paper.device" why />
      </p>
    </div>
    <p class="mt-3 text-ink-2">
      Owners can check by themselves, with <span class="num">northneedle verify-paper</span>: hand them
      <a class="underline" href="/api/papers/public-keys.json">the public keys</a> and
      <a class="underline" href="/api/papers/replaced.jws">the signed list of papers that count no more</a>.
    </p>
  </div>
</template>
