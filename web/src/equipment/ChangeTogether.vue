<script setup lang="ts">
import { reactive } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import FormOutcome from '../components/FormOutcome.vue'
import ImportOutcome from '../house/ImportOutcome.vue'
import { api } from '../api/client'
import type { RegisterFilter } from '../api/queries'
import { useImport } from '../composables/useImport'

/** One change of all the devices that are shown: looked at first, then made with a reason. */
const props = defineProps<{ filter: RegisterFilter; total: number; sites: string[] }>()
const emit = defineEmits<{ close: [] }>()
const change = reactive({ keeper: '', owner: '', site: '', place: '', months: '', due: '' })
const fields = [
  { key: 'keeper' as const, label: 'Looked after by' },
  { key: 'owner' as const, label: 'Belongs to' },
  { key: 'site' as const, label: 'Moved to the site', list: 'sites' },
  { key: 'place' as const, label: 'Moved to the place' },
  { key: 'months' as const, label: 'Main verification every … months', type: 'number' },
  { key: 'due' as const, label: 'Main verification due on', type: 'date' },
]
const { state, problem, sending, read, go } = useImport()
const look = () =>
  read(() =>
    api.POST('/api/assets/together', {
      params: { query: props.filter },
      body: {
        count: props.total,
        ...Object.fromEntries(Object.entries(change).filter(([, value]) => value)),
        months: Number(change.months) || undefined,
      },
    }),
  )
</script>

<template>
  <DialogShell
    :title="`Change ${total === 1 ? 'the device' : `the ${total} devices`} shown`"
    hint="What is left empty stays as it is. You see what changes before it does."
    wide="wide"
    @close="emit('close')"
  >
    <form v-if="!state" class="mt-4" @submit.prevent="look">
      <div class="grid gap-4 sm:grid-cols-2">
        <label v-for="f in fields" :key="f.key"
          ><span class="label">{{ f.label }}</span>
          <input
            v-model="change[f.key]"
            :type="f.type ?? 'text'"
            :list="f.list"
            min="1"
            max="120"
            class="field"
            :name="f.key"
        /></label>
        <datalist id="sites"><option v-for="s in sites" :key="s" :value="s" /></datalist>
      </div>
      <p class="mt-2 text-sm text-ink-2">
        A day later than it is due now puts it off: your reason and name stand with it.
      </p>
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button class="btn btn-main" :disabled="sending">See what changes</button>
        <button type="button" class="btn" @click="emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
    <template v-else>
      <ImportOutcome class="mt-4" :state="state" name="These devices" together @go="go" />
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button v-if="state.state === 'read'" type="button" class="btn" @click="state = undefined">
          Something else …
        </button>
        <button type="button" class="btn" @click="emit('close')">Close <kbd>Esc</kbd></button>
      </div>
    </template>
  </DialogShell>
</template>
