<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useResizeObserver } from '@vueuse/core'
import uPlot from 'uplot'
import 'uplot/dist/uPlot.min.css'
import { traceSeconds } from '../composables/useLivePoint'

/** The live trace of a link, with the band in which the reading is expected. */
const props = defineProps<{
  trace: { t: number[]; v: number[] }
  low?: number
  high?: number
  reference?: number
  label: string
  seconds?: number
}>()
const box = ref<HTMLElement>()
let plot: uPlot | undefined
const css = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim()

function band(u: uPlot) {
  if (props.low === undefined || props.high === undefined) return
  const top = u.valToPos(props.high, 'y', true)
  const bottom = u.valToPos(props.low, 'y', true)
  u.ctx.save()
  u.ctx.fillStyle = css('--petrol-wash')
  u.ctx.fillRect(u.bbox.left, top, u.bbox.width, bottom - top)
  if (props.reference !== undefined) {
    const y = u.valToPos(props.reference, 'y', true)
    u.ctx.strokeStyle = css('--petrol')
    u.ctx.setLineDash([5, 5])
    u.ctx.beginPath()
    u.ctx.moveTo(u.bbox.left, y)
    u.ctx.lineTo(u.bbox.left + u.bbox.width, y)
    u.ctx.stroke()
  }
  u.ctx.restore()
}

function range(): [number, number] {
  const values = props.trace.v.concat(props.low ?? [], props.high ?? [])
  if (!values.length) return [0, 1]
  const low = Math.min(...values)
  const high = Math.max(...values)
  const pad = Math.max((high - low) * 0.08, 0.02)
  return [low - pad, high + pad]
}

onMounted(() => {
  const axis = {
    stroke: css('--ink-2'),
    grid: { show: false },
    ticks: { stroke: css('--line') },
    font: '12px Archivo Variable',
  }
  plot = new uPlot(
    {
      width: box.value!.clientWidth,
      height: box.value!.clientHeight,
      legend: { show: false },
      cursor: { show: false },
      padding: [8, 8, 8, 0],
      scales: {
        x: { time: false, range: (_, __, max) => [(max ?? 0) - (props.seconds ?? traceSeconds), max ?? 0] },
        y: { range: () => range() },
      },
      axes: [
        { ...axis, show: false },
        { ...axis, size: 44 },
      ],
      series: [{}, { stroke: css('--ink'), width: 2, points: { show: false } }],
      hooks: { drawClear: [band] },
    },
    [props.trace.t, props.trace.v],
    box.value!,
  )
})
watch(
  () => props.trace,
  (trace) => plot?.setData([trace.t, trace.v]),
)
useResizeObserver(
  box,
  () => plot && box.value && plot.setSize({ width: box.value.clientWidth, height: box.value.clientHeight }),
)
onBeforeUnmount(() => plot?.destroy())
</script>

<template><div ref="box" class="h-full w-full" role="img" :aria-label="label"></div></template>
