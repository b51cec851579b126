import { computed } from 'vue'
import type { LiveFrame, Measure, Point } from '../api/client'
import type { Traces } from '../composables/useLivePoint'

/** What every capture widget is given. */
export interface WidgetProps {
  traces: Traces
  frame?: LiveFrame
  measure: Measure
  point: Point
  label: string
}

/** useTrace is the trace of the channel that the measure reads. */
export const useTrace = (props: WidgetProps) =>
  computed(() => props.traces[props.measure.capture?.channel ?? ''] ?? { t: [], v: [] })
