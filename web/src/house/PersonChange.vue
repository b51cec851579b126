<script setup lang="ts">
import { computed, ref } from 'vue'
import AlertNote from '../components/AlertNote.vue'
import DialogShell from '../components/DialogShell.vue'
import type { Problem } from '../api/client'
import PersonHoldings from './PersonHoldings.vue'
import { roles, type Role } from './roles'
import type { House } from './useHouse'

/** Changes what somebody may do, or whether they may sign in: with a reason, and in sight of what they have in hand. */
const props = defineProps<{ person: House['people'][number]; problem?: Problem }>()
const emit = defineEmits<{ done: [change: { role: Role; active: boolean; reason: string }]; close: [] }>()
const role = ref(props.person.role as Role)
const active = ref(props.person.active)
const reason = ref('')
const differs = computed(() => role.value !== props.person.role || active.value !== props.person.active)
</script>

<template>
  <DialogShell :title="person.name" hint="What changes stands in their history, with why." @close="emit('close')">
    <form class="mt-4 grid gap-4" @submit.prevent="emit('done', { role, active, reason })">
      <label class="max-w-64"
        ><span class="label">Role</span>
        <select v-model="role" name="role" class="field">
          <option v-for="r in roles" :key="r">{{ r }}</option>
        </select></label
      >
      <label class="flex min-h-11 items-center gap-2"
        ><input v-model="active" type="checkbox" name="active" class="size-5 accent-ink" />May sign in</label
      >
      <PersonHoldings :id="person.id" :name="person.name" />
      <label
        ><span class="label">Why it changes</span
        ><input v-model="reason" name="reason" class="field" maxlength="400" :required="differs"
      /></label>
      <AlertNote v-if="problem" :words="problem.detail" />
      <div class="flex gap-3">
        <button class="btn btn-main" :disabled="!differs">Change it</button>
        <button type="button" class="btn" @click="emit('close')">Leave it as it is</button>
      </div>
    </form>
  </DialogShell>
</template>
