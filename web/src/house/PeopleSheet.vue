<script setup lang="ts">
import { reactive, ref } from 'vue'
import AlertNote from '../components/AlertNote.vue'
import DialogShell from '../components/DialogShell.vue'
import FormOutcome from '../components/FormOutcome.vue'
import { api } from '../api/client'
import { useHouse, type House } from './useHouse'
import CompetenceSheet from './CompetenceSheet.vue'
import PeopleList from './PeopleList.vue'
import PersonChange from './PersonChange.vue'
import PersonHoldings from './PersonHoldings.vue'
import { roles, type Role } from './roles'
import HistoryList from '../components/HistoryList.vue'
import { useSession } from '../composables/useSession'
import DataTable from '../components/DataTable.vue'

/** Who may sign in, as what, and who may do what alone. */
const { can, person } = useSession()
const { data, problem, saved, change } = useHouse()
const fresh = reactive({ name: '', role: 'technician' as Role, password: '' })
async function add() {
  const done = await change(
    () => api.POST('/api/house/people', { body: { ...fresh, active: true } }),
    `${fresh.name} may sign in.`,
  )
  if (done) fresh.name = fresh.password = ''
}
const changing = ref<House['people'][number]>()
async function set(body: { role: Role; active: boolean; reason: string }) {
  const p = changing.value!
  const done = await change(
    () => api.POST('/api/house/people/{id}', { params: { path: { id: p.id } }, body }),
    `${p.name}: changed.`,
  )
  if (done) changing.value = undefined
}
const resetting = ref<House['people'][number]>()
const oneTime = ref('')
async function reset(p: House['people'][number]) {
  const body = { role: p.role as Role, active: p.active, password: oneTime.value }
  const done = await change(
    () => api.POST('/api/house/people/{id}', { params: { path: { id: p.id } }, body }),
    `${p.name} is signed out everywhere, and sets a password of their own at the next sign-in. Tell them.`,
  )
  if (done) {
    resetting.value = undefined
    oneTime.value = ''
  }
}
</script>

<template>
  <section v-if="data">
    <FormOutcome :saved="saved" :problem="resetting || changing ? undefined : problem" />
    <DataTable ruled class="max-w-3xl" :columns="['Name', 'Role', 'May sign in', '']">
      <tr v-for="p in data.people" :key="p.id">
        <td class="py-2">
          <b>{{ p.name }}</b>
          <span v-if="p.by === 'directory'" class="block text-sm text-ink-2">by the directory</span>
          <span v-if="p.like" class="block text-sm text-warn">
            ▲ Written with other letters than {{ p.like }}, and looks the same: are they one?
          </span>
          <PersonHoldings v-if="!p.active" :id="p.id" class="mt-1" :name="p.name" />
        </td>
        <td class="py-2 pr-6">{{ p.role }}</td>
        <td class="py-2">{{ p.active ? 'yes' : 'no' }}</td>
        <td class="flex flex-wrap gap-x-4 py-2">
          <button
            v-if="can('keep people') && p.id !== person?.id"
            class="min-h-11 underline"
            :aria-label="`Change ${p.name}`"
            @click="changing = p"
          >
            Change …
          </button>
          <button
            v-if="can('keep people') && p.active && p.id !== person?.id && p.by !== 'directory'"
            class="min-h-11 underline"
            @click="resetting = p"
          >
            Forgotten password …
          </button>
        </td>
      </tr>
    </DataTable>
    <PersonChange
      v-if="changing"
      :key="changing.id"
      :person="changing"
      :problem="problem"
      @done="set"
      @close="changing = undefined"
    />
    <DialogShell
      v-if="resetting"
      :title="`A one-time password for ${resetting.name}`"
      hint="It opens nothing but a change of it. Give it by hand or voice, to nobody else."
      wide="narrow"
      @close="resetting = undefined"
    >
      <form class="mt-4" @submit.prevent="reset(resetting)">
        <label class="block">
          <span class="label">One-time password, 12 characters or more</span>
          <input v-model="oneTime" name="one-time" class="field" autocomplete="off" required minlength="12" />
        </label>
        <AlertNote v-if="problem" class="mt-3" :words="problem.detail" />
        <div class="mt-4 flex gap-3">
          <button class="btn btn-main">Set it</button>
          <button type="button" class="btn" @click="resetting = undefined">Leave it</button>
        </div>
      </form>
    </DialogShell>
    <p v-if="!can('keep people')" class="mt-3 text-ink-2">
      An administrator registers people, changes what they are, and lets them in again who forgot their password.
    </p>
    <form v-else class="mt-6 flex max-w-3xl flex-wrap items-end gap-4" @submit.prevent="add">
      <label class="grow"
        ><span class="label">Full name</span
        ><input v-model="fresh.name" name="name" class="field" required autocomplete="off"
      /></label>
      <label
        ><span class="label">Role</span>
        <select v-model="fresh.role" name="role" class="field">
          <option v-for="r in roles" :key="r">{{ r }}</option>
        </select></label
      >
      <label
        ><span class="label">One-time password, 12 characters or more</span
        ><input v-model="fresh.password" name="password" type="password" class="field" autocomplete="new-password"
      /></label>
      <button class="btn btn-main">Register</button>
    </form>
    <PeopleList v-if="can('keep people')" class="mt-8" />
    <CompetenceSheet class="mt-10" :house="data" />
    <template v-if="can('keep people')">
      <HistoryList v-for="p in data.people" :id="p.id" :key="p.id" of="person" :title="`History of ${p.name}`" />
    </template>
  </section>
</template>
