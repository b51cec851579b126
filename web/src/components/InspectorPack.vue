<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import DialogShell from './DialogShell.vue'
import FormOutcome from './FormOutcome.vue'
import JobOutcome from './JobOutcome.vue'
import { api } from '../api/client'
import { queries } from '../api/queries'
import { useJob } from '../composables/useJob'

/** What an inspector asks to see, put together as one ZIP with an index: of a time, a site, or the clause they go by. */
const props = defineProps<{ from: string; until: string; sites: string[] }>()
const emit = defineEmits<{ close: [] }>()
const of = reactive({ from: props.from, until: props.until, site: '', clause: '' })
const { data: clauses } = useQuery(queries.clauses())
const standards = computed(() => [...new Set((clauses.value ?? []).map((c) => c.standard))])
const { job, problem, sending, begin, stop } = useJob()
const put = () => {
  const { from, until, site, clause } = of
  const query = { from, until: until || undefined, site: site || undefined, clause: clause || undefined }
  return begin(() => api.POST('/api/packs', { params: { query } }))
}
</script>

<template>
  <DialogShell
    title="For an inspector"
    hint="Register, certificates, references, competence, look-backs, controls, procedures, the log and how the record stands, with an index: one ZIP."
    @close="emit('close')"
  >
    <form class="mt-4" @submit.prevent="put">
      <div v-if="!job" class="grid gap-4 sm:grid-cols-2">
        <label
          ><span class="label">From</span><input v-model="of.from" type="date" class="field num" name="from"
        /></label>
        <label
          ><span class="label">Until, that day included</span
          ><input v-model="of.until" type="date" class="field num" name="until"
        /></label>
        <label
          ><span class="label">Site</span>
          <select v-model="of.site" class="field" name="site">
            <option value="">every site</option>
            <option v-for="s in sites" :key="s">{{ s }}</option>
          </select>
        </label>
        <label
          ><span class="label">The clause they go by</span>
          <select v-model="of.clause" class="field" name="clause">
            <option value="">none: everything</option>
            <optgroup v-for="s in standards" :key="s" :label="s">
              <option
                v-for="c in clauses?.filter((c) => c.standard === s)"
                :key="c.clause"
                :value="`${s}, ${c.clause}`"
              >
                {{ c.clause }} · {{ c.about }}
              </option>
            </optgroup>
          </select>
        </label>
      </div>
      <JobOutcome v-else :job="job" file="Save the pack (ZIP)" />
      <FormOutcome class="mt-3" :problem="problem" />
      <div class="mt-5 flex gap-3">
        <button v-if="!job" class="btn btn-main" :disabled="sending">Put it together</button>
        <button v-if="job?.state === 'running'" type="button" class="btn" @click="stop">Stop</button>
        <button type="button" class="btn" @click="emit('close')">Back <kbd>Esc</kbd></button>
      </div>
    </form>
  </DialogShell>
</template>
