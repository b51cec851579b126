<script setup lang="ts">
import { ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import AlertNote from '../components/AlertNote.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { queries } from '../api/queries'
import { download } from '../composables/download'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'
import { localDay, localTime } from '../composables/words'

/** The copies of the record: how those stand that are made by themselves, and one taken by hand. */
const { can } = useSession()
const { data: care } = useQuery(queries.care())
const { trouble, sending, send } = useSend()
const passphrase = ref('')
const gigabytes = (bytes: number) => (bytes / 1e9).toFixed(bytes < 1e10 ? 2 : 0) + ' GB'
async function take() {
  const blob = await send(() =>
    api.POST('/api/house/backup', { body: { passphrase: passphrase.value || undefined }, parseAs: 'blob' }),
  )
  if (!blob) return
  download(blob, `northneedle-${new Date().toISOString().slice(0, 10)}.backup`)
  passphrase.value = ''
}
</script>

<template>
  <div>
    <SectionTitle>Copies</SectionTitle>
    <template v-if="care">
      <p v-for="w in care.warnings" :key="w" class="mt-2 border-l-4 border-brass bg-brass-wash px-3 py-2">
        {{ w }}
      </p>
      <dl class="mt-2 grid sm:grid-cols-[auto_1fr] gap-x-6 gap-y-1">
        <template v-if="care.backups">
          <dt class="text-ink-2">Last copy by itself</dt>
          <dd v-if="care.backups.last">
            {{ localDay(care.backups.last) }}, {{ localTime(care.backups.last) }}
            <b v-if="care.backups.tried" class="text-petrol">● taken out again, and it holds</b>
            <span class="num block text-sm text-ink-2"
              >{{ care.backups.file }}, {{ gigabytes(care.backups.bytes ?? 0) }}; {{ care.backups.kept }} kept in
              {{ care.backups.folder }}</span
            >
          </dd>
          <dd v-else>none since the server was started</dd>
        </template>
        <template v-if="care.total">
          <dt class="text-ink-2">Free on the disk</dt>
          <dd class="num">{{ gigabytes(care.free) }} of {{ gigabytes(care.total) }}</dd>
        </template>
        <template v-if="care.key">
          <dt class="text-ink-2">The workshop’s key</dt>
          <dd>
            <span class="num">{{ care.key }}</span><template v-if="care.checkpoint"
              >, signed the record last on {{ localDay(care.checkpoint) }}, {{ localTime(care.checkpoint) }}</template
            >
          </dd>
        </template>
      </dl>
    </template>
    <form v-if="can('back up')" class="mt-4 flex flex-wrap items-end gap-3" @submit.prevent="take">
      <label class="grow">
        <span class="label">Passphrase, if it is to be encrypted (12 characters or more)</span>
        <input v-model="passphrase" name="passphrase" type="password" class="field" autocomplete="new-password" />
      </label>
      <button class="btn" :disabled="sending">{{ sending ? 'Copying …' : 'Take a copy' }}</button>
    </form>
    <p v-else class="mt-2 text-ink-2">A lead takes copies.</p>
    <p class="mt-1 text-sm text-ink-2">
      It holds everything but the workshop’s private key, and is made while work goes on. The key has an export of its
      own: <span class="num">northneedle key export FILE</span>.
    </p>
    <AlertNote class="mt-2" :words="trouble" />
  </div>
</template>
