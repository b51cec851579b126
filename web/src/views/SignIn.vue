<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useSession } from '../composables/useSession'
import AlertNote from '../components/AlertNote.vue'
import { directoryTold } from '../composables/directory'
import { passkeysWork } from '../composables/usePasskey'

const { session, signIn, signInByPasskey, trouble, sending } = useSession()
const told = directoryTold()
const name = ref('')
const password = ref('')
const secret = ref<HTMLInputElement>()
const first = ref<HTMLInputElement>()
onMounted(() => first.value?.focus())
function choose(who: string) {
  name.value = who
  password.value = 'north-needle'
  secret.value?.focus()
}
</script>

<template>
  <main class="grid min-h-full place-items-center p-6">
    <div class="grid w-full max-w-4xl gap-10 md:grid-cols-[1fr_1fr]">
      <div class="flex flex-col justify-center">
        <svg width="132" height="132" viewBox="0 0 26 26" aria-hidden="true">
          <circle cx="13" cy="13" r="12" fill="none" stroke="var(--ink)" stroke-width="0.7" />
          <path d="M13 3 15.6 13 13 12 10.4 13Z" fill="var(--brass)" />
          <path d="M13 23 10.4 13 13 14 15.6 13Z" fill="var(--ink)" />
        </svg>
        <h1 class="mt-5 text-4xl">North Needle</h1>
        <p class="mt-2 max-w-[36ch] text-lg text-ink-2">
          Verify, adjust and sign: every reading against its reference, with its uncertainty.
        </p>
        <p class="mt-6 text-sm text-ink-2">{{ session?.lab }}</p>
      </div>
      <form class="border-2 border-ink bg-sheet p-6" @submit.prevent="signIn(name, password)">
        <h2 class="text-xl">Sign in</h2>
        <label class="mt-4 block">
          <span class="label">Name</span>
          <input ref="first" v-model="name" name="name" class="field" autocomplete="username" required />
        </label>
        <label class="mt-3 block">
          <span class="label">Password</span>
          <input
            ref="secret"
            v-model="password"
            name="password"
            type="password"
            class="field"
            autocomplete="current-password"
            required
          />
        </label>
        <AlertNote class="mt-3" :words="trouble || told" />
        <button class="btn btn-main mt-4 w-full justify-center" :disabled="sending">Sign in</button>
        <div class="mt-3 flex flex-wrap gap-3">
          <a v-if="session?.directory" class="btn grow justify-center" href="/sign-in/directory">
            By {{ session.directory }}
          </a>
          <button
            v-if="passkeysWork()"
            type="button"
            class="btn grow justify-center"
            :disabled="sending"
            @click="signInByPasskey()"
          >
            By a passkey
          </button>
        </div>
        <div v-if="session?.demo?.length" class="mt-5 border-t border-line pt-4">
          <p class="text-sm text-ink-2">
            Demo with made-up people and data. The password of all is <span class="num">north-needle</span>.
          </p>
          <ul class="mt-2 grid grid-cols-2 gap-2">
            <li v-for="p in session.demo" :key="p.id">
              <button
                type="button"
                class="min-h-11 w-full border border-line px-3 py-1 text-left hover:bg-brass-wash"
                @click="choose(p.name)"
              >
                {{ p.name }}<span class="block text-sm text-ink-2">{{ p.role }}</span>
              </button>
            </li>
          </ul>
        </div>
      </form>
    </div>
  </main>
</template>
