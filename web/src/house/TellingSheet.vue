<script setup lang="ts">
import { reactive, ref, watch } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useClipboard } from '@vueuse/core'
import AskDialog from '../components/AskDialog.vue'
import ClockField from '../components/ClockField.vue'
import DataTable from '../components/DataTable.vue'
import FormOutcome from '../components/FormOutcome.vue'
import QueryState from '../components/QueryState.vue'
import SectionTitle from '../components/SectionTitle.vue'
import ContactForm from '../telling/ContactForm.vue'
import LetterList from '../telling/LetterList.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** Who outside is told of which devices, when, and what was sent. */
type Contact = components['schemas']['ContactView']
const { can } = useSession()
const { keep } = useCached()
const { data, error, refetch } = useQuery(queries.telling())
const { problem, sending, send } = useSend()
const saved = ref('')
const editing = ref<Contact | 'new'>()
const { copy } = useClipboard({ legacy: true })
const ending = ref<Contact>()
async function change(c: Contact, what: 'end' | 'link' | 'mail', words: string, why = '') {
  saved.value = ''
  const view = await send(() =>
    api.POST('/api/telling/contacts/{id}', { params: { path: { id: c.id } }, body: { do: what, why } }),
  )
  if (!view) return
  keep('telling', view)
  saved.value = words
}
async function stop(why: string) {
  const c = ending.value!
  ending.value = undefined
  await change(c, 'end', `${c.name} is told no more.`, why)
}
async function copyLink(c: Contact) {
  await copy(new URL(c.link!, location.origin).href)
  saved.value = `The link to the page of ${c.name} is copied. Whoever has it needs no account.`
}
const days = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
const rules = reactive({ weekday: 1, at: '07:00', ahead: 14, retries: [] as number[] })
watch(
  () => data.value?.rules,
  (r) => r && Object.assign(rules, r),
  { immediate: true },
)
async function setRules() {
  saved.value = ''
  const view = await send(() => api.POST('/api/telling/rules', { body: rules }))
  if (!view) return
  keep('telling', view)
  saved.value = `Sent on ${days[rules.weekday - 1]}s at ${rules.at}.`
}
const whose = (c: Contact) =>
  [c.place, c.site, c.owner && `belongs to ${c.owner}`].filter(Boolean).join(', ') || 'every device'
</script>

<template>
  <section v-if="data">
    <p v-if="!data.mail" class="mb-4 max-w-3xl border-l-4 border-brass bg-brass-wash px-4 py-2">
      ◐ No mail server is set where this program is started: nothing is sent. The pages can be used, by their links.
    </p>
    <p v-if="!data.address" class="mb-4 max-w-3xl border-l-4 border-brass bg-brass-wash px-4 py-2">
      ◐ At which address others reach this server is not said yet: mails carry no links.
      <RouterLink class="underline" :to="{ name: 'house', params: { sheet: 'hands' } }">Say it</RouterLink>
    </p>
    <FormOutcome :saved="saved" :problem="problem" />
    <SectionTitle class="mb-1">Who is told</SectionTitle>
    <p class="max-w-3xl text-ink-2">
      Notices and the weekly list go to them. By the link to their page they see whether a device may be used, report
      what is wrong, and answer, without an account.
    </p>
    <DataTable
      v-if="data.contacts.length"
      ruled
      class="mt-2"
      :columns="['Who', 'Devices', 'Each week', 'Their page', '']"
    >
      <tr v-for="c in data.contacts" :key="c.id">
        <td class="py-2">
          <b>{{ c.name }}</b> <span class="block text-sm text-ink-2">{{ c.mail || 'no address' }}</span>
        </td>
        <td class="py-2">{{ whose(c) }}</td>
        <td class="py-2">{{ c.digest ? '● yes' : '○ no' }}</td>
        <td class="py-2">
          <span v-if="!can('keep who is told')" class="text-ink-2">by link</span>
          <span v-else-if="!c.link" class="text-ink-2">○ no link</span>
          <span v-else class="flex flex-wrap gap-x-4">
            <button class="min-h-11 underline" @click="copyLink(c)">Copy the link</button>
            <button
              v-if="data.mail && c.mail && data.address"
              class="min-h-11 underline"
              @click="change(c, 'mail', `The link goes to ${c.mail}.`)"
            >
              Mail it
            </button>
          </span>
        </td>
        <td class="py-2">
          <span v-if="can('keep who is told')" class="flex flex-wrap justify-end gap-x-4">
            <button
              class="min-h-11 underline"
              :disabled="sending"
              @click="change(c, 'link', `${c.name} has a new link; an earlier one opens nothing any more.`)"
            >
              {{ c.link ? 'New link' : 'Make a link' }}
            </button>
            <button class="min-h-11 underline" @click="editing = c">Change …</button>
            <button class="min-h-11 underline" :disabled="sending" @click="ending = c">Tell no more …</button>
          </span>
        </td>
      </tr>
    </DataTable>
    <p v-else class="mt-2 text-ink-2">Nobody yet.</p>
    <button v-if="can('keep who is told')" class="btn mt-4" @click="editing = 'new'">Enter who is told …</button>
    <template v-if="can('keep who is told')">
      <SectionTitle class="mt-8 mb-2">When the weekly list is sent</SectionTitle>
      <form class="flex max-w-3xl flex-wrap items-end gap-4" @submit.prevent="setRules">
        <label
          ><span class="label">Day</span>
          <select v-model="rules.weekday" name="weekday" class="field">
            <option v-for="(d, i) in days" :key="d" :value="i + 1">{{ d }}</option>
          </select></label
        >
        <label><span class="label">At</span><ClockField v-model="rules.at" name="at" class="w-24" required /></label>
        <label
          ><span class="label">Due within, days</span
          ><input
            v-model.number="rules.ahead"
            name="ahead"
            type="number"
            min="1"
            max="91"
            class="field num w-28"
            required
        /></label>
        <button class="btn" :disabled="sending">Keep it</button>
      </form>
    </template>
    <SectionTitle class="mt-8 mb-2">What was sent</SectionTitle>
    <LetterList :letters="data.letters" />
    <AskDialog
      v-if="ending"
      :title="`${ending.name} is told no more`"
      hint="What waits to be sent to them is not sent, and their link opens nothing from then on."
      label="Why"
      action="Tell them no more"
      @done="stop"
      @close="ending = undefined"
    />
    <ContactForm v-if="editing" :contact="editing === 'new' ? undefined : editing" @close="editing = undefined" />
  </section>
  <QueryState v-else :error="error" what="who is told" @again="refetch()" />
</template>
