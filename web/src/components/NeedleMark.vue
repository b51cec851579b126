<script setup lang="ts">
import { computed } from 'vue'
import type { Zone } from '../api/client'

/** One point's error as a needle: upright is none, 45° the limit. Hollow as found, solid as left. */
const props = defineProps<{
  found?: { error_to_limit: number; u_to_limit: number; zone: Zone }
  left?: { error_to_limit: number; u_to_limit: number; zone: Zone }
  width?: number
  label?: string
}>()

const w = computed(() => props.width ?? 50)
const h = computed(() => w.value * 0.66)
const pivot = computed(() => ({ x: w.value / 2, y: h.value - 3 }))
const reach = computed(() => h.value - 6)
const big = computed(() => w.value > 80)

function tip(lean: number, share = 1) {
  const angle = (Math.max(-82, Math.min(82, lean * 45)) * Math.PI) / 180
  const r = reach.value * share
  return `${(pivot.value.x + Math.sin(angle) * r).toFixed(1)},${(pivot.value.y - Math.cos(angle) * r).toFixed(1)}`
}
function arc(from: number, to: number, share = 1) {
  const r = reach.value * share
  return `M${tip(from, share)} A${r} ${r} 0 0 1 ${tip(to, share)}`
}
const last = computed(() => props.left ?? props.found)
const ink = (zone: Zone) => (zone.startsWith('inside') ? 'var(--petrol)' : 'var(--vermilion)')
const fan = computed(() => {
  const v = last.value
  if (!v) return ''
  const r = reach.value * 0.94
  return `M${pivot.value.x},${pivot.value.y} L${tip(v.error_to_limit - v.u_to_limit, 0.94)} A${r} ${r} 0 0 1 ${tip(v.error_to_limit + v.u_to_limit, 0.94)}Z`
})
</script>

<template>
  <svg
    :width="w"
    :height="h"
    :viewBox="`0 0 ${w} ${h}`"
    role="img"
    :aria-label="label ?? (last ? `error ${Math.round(last.error_to_limit * 100)} % of the limit` : 'not measured')"
  >
    <path :d="arc(-1, 1)" fill="none" stroke="var(--ink)" :stroke-width="big ? 2 : 1.2" />
    <path
      :d="`M${tip(-1)} L${tip(-1, 0.86)} M${tip(1)} L${tip(1, 0.86)} M${tip(0)} L${tip(0, 0.9)}`"
      stroke="var(--ink)"
      :stroke-width="big ? 2 : 1.2"
    />
    <template v-if="last">
      <path :d="fan" :fill="ink(last.zone)" opacity="0.22" />
      <g v-if="found">
        <path
          :d="`M${pivot.x},${pivot.y} L${tip(found.error_to_limit, 0.92)}`"
          :stroke="ink(found.zone)"
          :stroke-width="big ? 5.5 : 3.4"
          stroke-linecap="round"
        />
        <path
          :d="`M${pivot.x},${pivot.y} L${tip(found.error_to_limit, 0.9)}`"
          stroke="var(--sheet)"
          :stroke-width="big ? 2.6 : 1.5"
          stroke-linecap="round"
        />
      </g>
      <path
        v-if="left"
        :d="`M${pivot.x},${pivot.y} L${tip(left.error_to_limit, 0.92)}`"
        :stroke="ink(left.zone)"
        :stroke-width="big ? 4.5 : 2.6"
        stroke-linecap="round"
      />
      <circle :cx="pivot.x" :cy="pivot.y" :r="big ? 4 : 2.4" :fill="ink(last.zone)" />
    </template>
  </svg>
</template>
