<script setup lang="ts">
import { reactive } from 'vue'
import { useRouter } from 'vue-router'
import AlertNote from '../components/AlertNote.vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import { directoryTold } from '../composables/directory'
import { useSend } from '../composables/useSend'
import { useSession } from '../composables/useSession'

/** The first page of an empty record: two accounts, and the workshop's name. */
const { session, signIn, trouble: notSignedIn } = useSession()
const told = directoryTold()
const { problem, sending, send } = useSend()
const router = useRouter()
const form = reactive({
  code: '',
  lab: '',
  administrator: { name: '', password: '' },
  lead: { name: '', password: '' },
})
const accounts = [
  {
    id: 'administrator',
    title: 'Administrator',
    words: 'Keeps accounts and copies; makes no runs and signs nothing.',
  },
  { id: 'lead', title: 'Lead', words: 'Says how the workshop judges, reviews runs, keeps references and procedures.' },
] as const
async function begin() {
  const done = await send(async () => {
    const begun = await api.POST('/api/session/start', { body: form })
    return { ...begun, data: begun.response.ok ? true : undefined }
  })
  if (!done) return
  await router.push({ name: 'begin' })
  await signIn(form.lead.name, form.lead.password)
}
</script>

<template>
  <main class="mx-auto max-w-3xl p-6">
    <h1 class="text-4xl">North Needle</h1>
    <p class="mt-2 text-lg text-ink-2">Nothing is recorded here yet. Begin with two accounts.</p>
    <p class="mt-4 border-l-4 border-brass bg-brass-wash px-4 py-2">
      One human may hold both: they are two names all the same, each with a password of its own, so that the record says
      who did what as which.
    </p>
    <AlertNote v-if="told" class="mt-4" :words="told" />
    <p v-if="session?.directory" class="mt-4 flex flex-wrap items-center gap-3">
      <a class="btn" href="/sign-in/directory">By {{ session.directory }}</a>
      <span>whose groups there make them an administrator or a lead here: then nobody needs the code.</span>
    </p>
    <form class="mt-6 grid gap-6" @submit.prevent="begin">
      <div class="grid gap-4 sm:grid-cols-2">
        <label
          ><span class="label">The workshop’s name, as its papers carry it</span
          ><input v-model="form.lab" name="lab" class="field" required maxlength="200" autocomplete="organization"
        /></label>
        <label
          ><span class="label">Code that the server said when it was started</span
          ><input v-model="form.code" name="code" class="field num" required autocomplete="off" maxlength="40"
        /></label>
      </div>
      <fieldset v-for="a in accounts" :key="a.id" class="border-2 border-line bg-sheet p-4">
        <legend class="px-2 text-lg font-semibold">{{ a.title }}</legend>
        <p class="text-ink-2">{{ a.words }}</p>
        <div class="mt-3 grid gap-4 sm:grid-cols-2">
          <label
            ><span class="label">Full name</span
            ><input v-model="form[a.id].name" :name="`${a.id}-name`" class="field" required autocomplete="off" /></label
          ><label
            ><span class="label">Password: a few words that do not belong together</span
            ><input
              v-model="form[a.id].password"
              :name="`${a.id}-password`"
              type="password"
              class="field"
              required
              minlength="12"
              autocomplete="new-password"
          /></label>
        </div>
      </fieldset>
      <FormOutcome :problem="problem" />
      <p v-if="notSignedIn" class="text-vermilion">{{ notSignedIn }}</p>
      <button class="btn btn-main min-h-12 justify-self-start" :disabled="sending">
        Begin, and sign in as the lead
      </button>
      <p class="text-sm text-ink-2">
        Everything else can be done in any order, or later: what is still open stands on Today.
      </p>
    </form>
  </main>
</template>
