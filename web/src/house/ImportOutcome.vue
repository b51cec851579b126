<script setup lang="ts">
import { computed, ref } from 'vue'
import DataTable from '../components/DataTable.vue'
import type { components } from '../api/schema.gen'

/** A list that was read: what of it can be taken, what it changes of known devices, and every row that cannot be taken. */
const props = defineProps<{ state: components['schemas']['ImportView']; name: string; together?: boolean }>()
const emit = defineEmits<{ go: [forward: boolean, reason: string] }>()
const reason = ref('')
/** The columns of a list, in words. */
const fieldWords: Record<string, string> = {
  owner: 'belongs to',
  keeper: 'looked after by',
  months: 'months between',
  last_done: 'done last',
  next_due: 'next due',
}
const rows = (n: number) => (n === 1 ? 'row' : 'rows')
const unchanged = computed(() =>
  props.state.same === 1 ? 'One device stays as it is.' : `${props.state.same} devices stay as they are.`,
)
const shown = computed(() => new Set(props.state.changes.map((c) => c.line)).size)
</script>

<template>
  <div class="border-2 border-ink bg-sheet p-4" aria-live="polite">
    <p v-if="!together" class="text-lg">
      <span class="text-ink-2">{{ name }}:</span> <b class="num">{{ state.rows }}</b> {{ rows(state.rows) }} can be
      taken, <b class="num">{{ state.count }}</b> cannot.
    </p>
    <p v-if="state.ignored.length" class="text-sm text-ink-2">Not read: the columns {{ state.ignored.join(', ') }}.</p>
    <template v-if="state.changed || state.same">
      <h3 class="mt-3">
        <b class="num">{{ state.changed }}</b>
        {{ together ? '' : 'known ' }}{{ state.changed === 1 ? 'device is' : 'devices are' }} changed.
        <span v-if="state.same" class="text-ink-2">{{ unchanged }}</span>
      </h3>
      <div v-if="state.changed" class="mt-1 max-h-72 overflow-auto">
        <DataTable ruled :columns="[...(together ? [] : ['Line']), 'Tag', 'What', 'It is', 'It becomes']">
          <tr v-for="(c, i) in state.changes" :key="i">
            <td v-if="!together" class="num py-1.5">{{ c.line }}</td>
            <td class="num py-1.5 font-medium">{{ c.tag }}</td>
            <td>{{ fieldWords[c.field] ?? c.field }}</td>
            <td class="text-ink-2">{{ c.from || 'nothing' }}</td>
            <td>
              {{ c.to }}
              <p v-if="c.note" class="text-sm font-semibold text-vermilion">◆ {{ c.note }}</p>
            </td>
          </tr>
        </DataTable>
      </div>
      <p v-if="shown < state.changed" class="text-sm text-ink-2">The changes of the first {{ shown }} are shown.</p>
    </template>
    <div v-if="state.state === 'running'" class="mt-2">
      <progress class="h-4 w-full accent-ink" :value="state.done" :max="state.all || 1"></progress>
      <p class="num text-sm">{{ state.done }} of {{ state.all }} records</p>
      <button class="btn" @click="emit('go', false, '')">Stop; nothing of it stays</button>
    </div>
    <form v-else-if="state.state === 'read' && state.rows" class="mt-3" @submit.prevent="emit('go', true, reason)">
      <label v-if="state.changed" class="mb-3 block max-w-xl"
        ><span class="label">Why they are changed</span>
        <input v-model="reason" class="field" name="reason" required placeholder="it stands in each device's history" />
      </label>
      <button v-if="!together" class="btn btn-main">Take the {{ state.rows }} {{ rows(state.rows) }} in</button>
      <button v-else-if="state.changed" class="btn btn-main">
        Change {{ state.changed === 1 ? 'it' : `the ${state.changed}` }}
      </button>
    </form>
    <p v-else-if="state.state === 'done'" class="mt-2 font-semibold text-petrol">
      ● {{ together ? 'They are changed.' : 'All of them are in.' }}
    </p>
    <p v-else-if="state.why" class="mt-2 font-semibold text-vermilion">◆ {{ state.why }}</p>
    <template v-if="state.count">
      <ul class="rows mt-3 max-h-64 overflow-auto text-sm">
        <li v-for="(r, i) in state.refused" :key="i" class="py-1">
          line <b class="num">{{ r.line }}</b>{{ r.field ? `, ${r.field}` : '' }}: {{ r.why }}
        </li>
      </ul>
      <p class="mt-2 text-sm">
        <a class="inline-flex min-h-11 items-center underline" :href="`/api/imports/${state.id}/refused.csv`"
          >The {{ state.count }} refused {{ rows(state.count) }} as a list</a
        >
        <span class="text-ink-2">
          in {{ state.count === 1 ? 'its' : 'their' }} own columns, with why: mend it, and bring it in again.</span
        >
      </p>
    </template>
  </div>
</template>
