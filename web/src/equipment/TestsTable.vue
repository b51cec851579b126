<script setup lang="ts">
import { ref } from 'vue'
import CorrectionForm from './CorrectionForm.vue'
import DataTable from '../components/DataTable.vue'
import SectionTitle from '../components/SectionTitle.vue'
import type { components } from '../api/schema.gen'
import { useSession } from '../composables/useSession'
import { localDay, significant } from '../composables/words'

/** The tests of an analyser: which may be used, what each was calibrated with, and what that came to. */
type Test = components['schemas']['TestView']
defineProps<{ device: components['schemas']['AssetView']; busy: boolean }>()
defineEmits<{ changed: []; calibrate: [procedure: string] }>()
const { can } = useSession()
const correcting = ref<Test>()
const moved = (change?: number) =>
  change === undefined || Math.abs(change) < 0.05
    ? ''
    : `${change < 0 ? '−' : '+'}${significant(Math.abs(change), 2)} % since the one before`
</script>

<template>
  <section>
    <SectionTitle>Tests</SectionTitle>
    <DataTable :columns="['test', 'stands', 'calibrated with', 'came to', '']" top>
      <tr v-for="t in device.tests" :key="t.test">
        <td class="py-2 pr-3 font-semibold first-letter:uppercase">{{ t.test }}</td>
        <td class="max-w-60 py-2 pr-3">
          <span :class="t.stopped ? 'font-semibold text-vermilion' : 'text-petrol'"
            ><span aria-hidden="true">{{ t.stopped ? '◆' : '●' }}</span>
            {{ t.stopped ? 'no patient sample' : 'may be used' }}</span
          >
          <span class="block text-sm text-ink-2">{{ t.words }}</span>
          <RouterLink
            v-if="t.control"
            class="block text-sm underline"
            :to="{ name: 'control', params: { asset: device.tag, analyte: t.test } }"
            >Controls: {{ t.control }}</RouterLink
          >
          <span v-else class="block text-sm text-ink-2">No control yet.</span>
        </td>
        <td class="py-2 pr-3 text-sm">
          <span v-for="l in t.lots" :key="l.role" class="block">
            {{ l.role.replace(', lot in date', '') }}: <b class="num">{{ l.lot }}</b><span
              :class="l.expired ? 'font-semibold text-vermilion' : 'text-ink-2'"
            >
              &nbsp;{{ l.expired ? 'expired' : 'until' }} {{ localDay(l.expires) }}</span
            >
          </span>
          <span v-if="!t.lots.length" class="text-ink-2">not calibrated yet</span>
        </td>
        <td class="py-2 pr-3 text-sm">
          <span v-for="f in t.figures" :key="f.id" class="block">
            {{ f.words }} <span class="text-ink-2">{{ moved(f.change) }}</span>
          </span>
          <span v-if="t.correction" class="mt-1 block border-l-4 border-brass pl-2">
            Correction since {{ localDay(t.correction.at) }}, by {{ t.correction.by }}: {{ t.correction.words }}.
            Against {{ t.correction.against }}.
          </span>
        </td>
        <td class="py-2 text-right text-sm">
          <RouterLink v-if="t.run" class="block underline" :to="{ name: 'run', params: { id: t.run } }"
            >record</RouterLink
          >
          <button
            v-if="can('work runs')"
            class="btn"
            :disabled="busy"
            :aria-label="`Calibrate ${t.test}`"
            @click="$emit('calibrate', t.procedure)"
          >
            Calibrate
          </button>
          <button v-if="can('set corrections')" class="btn btn-quiet" @click="correcting = t">Correct …</button>
        </td>
      </tr>
    </DataTable>
    <CorrectionForm
      v-if="correcting"
      :device="device.tag"
      :test="correcting.test"
      :unit="correcting.unit"
      @close="correcting = undefined"
      @changed="$emit('changed')"
    />
  </section>
</template>
