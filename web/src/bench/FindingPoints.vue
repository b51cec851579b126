<script setup lang="ts">
import { computed } from 'vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'
import type { Finding, Run } from '../api/client'

/** The points a finding judges, side by side, with their verdict sentences. */
const props = defineProps<{ run: Run; finding: Finding }>()
const rows = computed(() =>
  props.finding.judges.flatMap((id) => {
    const m = props.run.measures.find((x) => x.id === id)
    return (m?.points ?? []).map((p) => ({
      key: id + p.id,
      label: `${m!.title} ${p.label}`,
      point: p,
      last: p.left ?? p.found,
    }))
  }),
)
</script>

<template>
  <ul class="rows mt-3 border-y border-line">
    <li
      v-for="r in rows"
      :key="r.key"
      class="grid grid-cols-[18px_minmax(0,1fr)_56px] sm:grid-cols-[18px_150px_1fr_56px] items-center gap-3 py-1 text-[0.9375rem]"
    >
      <ZoneMark :zone="r.last?.zone" />
      <span class="font-semibold">{{ r.label }}</span>
      <span
        ><span v-for="(v, i) in r.point.voided ?? []" :key="i" class="block text-sm text-ink-2"
          >At first, not counted: {{ v.sentence }}</span
        >{{ r.last?.sentence ?? (r.point.omitted ? `left out: ${r.point.omitted}` : 'not read yet') }}
        <b v-if="r.last?.jump" class="block text-brass">◐ inside, and it has jumped</b>
        <span v-if="r.last?.schools?.length" class="block text-sm text-ink-2">
          <span v-for="s in r.last.schools" :key="s.title" class="mr-3 whitespace-nowrap">
            <ZoneMark :zone="s.zone" :size="11" class="inline" /> {{ s.title }}
          </span>
        </span></span
      >
      <NeedleMark v-if="r.last" :found="r.point.found" :left="r.point.left" :width="52" />
    </li>
  </ul>
</template>
