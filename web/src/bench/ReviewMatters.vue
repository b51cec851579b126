<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import PointDetail from './PointDetail.vue'
import NeedleMark from '../components/NeedleMark.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { queries } from '../api/queries'
import { brief, localDay } from '../composables/words'
import type { Measure, Point, Run } from '../api/client'

/**
 * What a reviewer looks at first, the gravest first, each point with its needle, what it showed the last time, and the way
 * to its readings, trace and budget. What is in order is folded. A point is marked for a run that is given back.
 */
const props = defineProps<{ run: Run; marking: boolean }>()
const marks = defineModel<Record<string, string>>('marks', { required: true })
const { data: before } = useQuery(queries.before(() => props.run.id))
const bad = new Set(['outside', 'failed'])

type Spot = { measure: Measure; point: Point }
function spotOf(measure?: string, point?: string): Spot | undefined {
  const m = props.run.measures.find((x) => x.id === measure)
  const p = m?.points.find((x) => x.id === point)
  return m && p ? { measure: m, point: p } : undefined
}
const kinds = computed(() => {
  const groups = new Map<string, { words: string; spot?: Spot; key: string }[]>()
  for (const m of props.run.matters ?? []) {
    const list = groups.get(m.kind) ?? groups.set(m.kind, []).get(m.kind)!
    list.push({ words: m.words, spot: spotOf(m.measure, m.point), key: `${m.measure}/${m.point}` })
  }
  return [...groups]
})
const touched = computed(
  () => new Set((props.run.matters ?? []).filter((m) => m.point).map((m) => `${m.measure}/${m.point}`)),
)
const rest = computed(() =>
  props.run.measures.flatMap((measure) =>
    measure.points
      .filter((point) => !touched.value.has(`${measure.id}/${point.id}`))
      .map((point) => ({ measure, point })),
  ),
)
const looking = ref<Spot>()
/** What the same point was off by when the device was verified last, as it was found then. */
function lastTime(s: Spot): string {
  const was = before.value?.points.find(
    (p) => p.measure === s.measure.id && p.point === s.point.id && p.phase === 'as found',
  )
  return was ? `last time ${brief(was.error, s.measure.resolution / 10, true)}` : ''
}
</script>

<template>
  <section>
    <p v-if="before?.run" class="mt-4 text-ink-2">
      Compared with
      <RouterLink class="underline" :to="{ name: 'run', params: { id: before.run } }"
        >the last run of {{ localDay(before.at!) }}</RouterLink
      >
      by {{ before.by }}: {{ before.result }}.
    </p>
    <p v-else-if="before" class="mt-4 text-ink-2">There is no earlier run of this procedure on the device.</p>
    <template v-for="[kind, list] in kinds" :key="kind">
      <SectionTitle class="mt-5" :class="bad.has(kind) && 'text-vermilion'"
        >{{ kind[0]!.toUpperCase() + kind.slice(1) }} · {{ list.length }}</SectionTitle
      >
      <ul class="rows">
        <li v-for="(x, i) in list" :key="i" class="py-2">
          <div class="flex items-center gap-3">
            <NeedleMark
              v-if="x.spot && (x.spot.point.left || x.spot.point.found)"
              :found="x.spot.point.found"
              :left="x.spot.point.left"
              :width="52"
              class="shrink-0"
            />
            <span class="grow"
              >{{ x.words }}
              <span v-if="x.spot && lastTime(x.spot)" class="block text-sm text-ink-2">{{ lastTime(x.spot) }}</span>
            </span>
            <button v-if="x.spot" class="btn btn-quiet shrink-0" @click="looking = x.spot">
              Readings, trace, budget
            </button>
          </div>
          <label v-if="marking && x.spot" class="mt-1 block"
            ><span class="label">To be looked at again here</span
            ><input v-model="marks[x.key]" :name="`mark-${x.key}`" class="field" maxlength="400" autocomplete="off"
          /></label>
        </li>
      </ul>
    </template>
    <p v-if="!kinds.length" class="mt-4 text-lg text-petrol">
      ● Nothing is outside, left out, cut short, overruled or withdrawn.
    </p>
    <details class="mt-5">
      <summary class="min-h-11 cursor-pointer py-2 font-semibold">In order: {{ rest.length }} points</summary>
      <ul class="rows">
        <li
          v-for="s in rest"
          :key="s.measure.id + s.point.id"
          class="flex flex-wrap items-center gap-3 py-1.5 text-[0.9375rem]"
        >
          <NeedleMark
            v-if="s.point.left || s.point.found"
            :found="s.point.found"
            :left="s.point.left"
            :width="44"
            class="shrink-0"
          />
          <span class="grow"
            ><b>{{ s.measure.title }} {{ s.point.label }}</b> {{ (s.point.left ?? s.point.found)?.sentence }}
            <span class="text-sm text-ink-2">{{ lastTime(s) }}</span></span
          >
          <button class="btn btn-quiet" @click="looking = s">Readings, trace, budget</button>
          <label v-if="marking" class="block w-full"
            ><span class="label">To be looked at again here</span
            ><input
              v-model="marks[`${s.measure.id}/${s.point.id}`]"
              :name="`mark-${s.measure.id}/${s.point.id}`"
              class="field"
              maxlength="400"
          /></label>
        </li>
      </ul>
    </details>
    <PointDetail v-if="looking" :run="run" v-bind="looking" @close="looking = undefined" />
  </section>
</template>
