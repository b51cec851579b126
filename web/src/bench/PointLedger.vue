<script setup lang="ts">
import { computed, ref } from 'vue'
import PointDetail from './PointDetail.vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'
import type { Measure, Point, Run, Step } from '../api/client'
import { brief, indicated, limitsWords } from '../composables/words'
import { pointKey, type Ahead } from '../offline/ahead'

/** The ledger: every point as found and as left, and what was found. */
const props = defineProps<{ run: Run & { ahead?: Ahead }; step: Step }>()
defineEmits<{ look: [id: string] }>()
const last = (p: Point) => p.left ?? p.found
const active = (m: Measure, p: Point) => props.step.id === m.id && m.points.find((x) => !x.complete)?.id === p.id
const looking = ref<{ measure: string; point: string }>()
const detail = computed(() => {
  const measure = props.run.measures.find((m) => m.id === looking.value?.measure)
  const point = measure?.points.find((p) => p.id === looking.value?.point)
  return measure && point ? { measure, point } : undefined
})
const remarks = computed(() => props.run.remarks)
const decided = computed(() => props.run.findings.filter((f) => f.decisions.length))
</script>

<template>
  <aside aria-label="Ledger">
    <p v-if="run.measures.length" class="text-right text-xs text-ink-2">hollow: as found · solid: as left</p>
    <p v-else class="text-sm text-ink-2">
      Nothing is measured here. What is fitted stands on the paper and with the device.
    </p>
    <template v-for="m in run.measures" :key="m.id">
      <button class="mt-1 flex min-h-11 w-full items-center justify-between text-left" @click="$emit('look', m.id)">
        <h2 class="text-[0.9375rem]">{{ m.title }}</h2>
        <span class="num text-xs text-ink-2">{{ limitsWords(m.tolerance) }} {{ m.shown }}</span>
      </button>
      <table class="w-full">
        <thead class="sr-only">
          <tr>
            <th>Point</th>
            <th>Shows</th>
            <th>Error</th>
            <th>Needle</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="p in m.points" :key="p.id">
            <tr class="h-9 border-t border-line text-sm hover:bg-brass-wash" :class="active(m, p) && 'bg-brass-wash'">
              <td>
                <button
                  class="min-h-11 w-full pl-1 text-left underline-offset-4 hover:underline"
                  :aria-label="`${m.title} ${p.label}: readings and budget`"
                  @click="looking = { measure: m.id, point: p.id }"
                >
                  {{ p.label }}
                </button>
              </td>
              <td class="num text-right">
                <span v-if="run.ahead?.[pointKey(m.id, p.id)]" class="hatched px-1" title="Kept here, not recorded yet"
                  >{{ run.ahead[pointKey(m.id, p.id)]!.join('; ') }} <span class="font-sans">waits</span></span
                >
                <span v-else-if="last(p)?.absent" class="font-sans">none</span>
                <template v-else-if="last(p)">{{ indicated(last(p)!.indicated, m.resolution) }}</template>
                <span v-else-if="p.omitted" class="font-sans text-ink-2">left out</span>
              </td>
              <td class="num w-16 text-right">
                {{
                  last(p) && !last(p)!.window && !last(p)!.absent ? brief(last(p)!.error, m.resolution / 10, true) : ''
                }}
              </td>
              <td class="w-7 text-right">
                <ZoneMark :zone="last(p)?.zone" :size="14" class="ml-auto" />
              </td>
              <td class="w-[52px]">
                <NeedleMark v-if="last(p)" :found="p.found" :left="p.left" :width="48" class="ml-auto" />
              </td>
            </tr>
            <tr v-if="p.marked">
              <td colspan="5" class="pb-2 pl-1 text-sm text-vermilion">◇ To be looked at again: {{ p.marked }}</td>
            </tr>
          </template>
        </tbody>
      </table>
    </template>
    <section v-if="decided.length" class="mt-4 border-t-2 border-ink pt-2">
      <div v-for="f in decided" :key="f.id" class="mb-2">
        <h2 class="text-[0.9375rem]">{{ f.title }}: {{ f.decisions[f.decisions.length - 1]!.decision }}</h2>
        <p class="text-sm">{{ f.decisions[f.decisions.length - 1]!.why }}</p>
        <p v-for="made in f.made" :key="made" class="text-sm text-ink-2">{{ made }}</p>
      </div>
    </section>
    <section v-if="remarks.length || run.notes.length" class="mt-3 border-t border-line pt-2 text-sm">
      <h2 class="text-[0.9375rem]">The certificate will say</h2>
      <p v-for="r in remarks" :key="r" class="mt-1">{{ r }}</p>
      <p v-for="n in run.notes" :key="n.at" class="mt-1 text-ink-2">Note by {{ n.by.name }}: {{ n.text }}</p>
    </section>
    <PointDetail v-if="detail" :run="run" v-bind="detail" @close="looking = undefined" />
  </aside>
</template>
