import type { Component } from 'vue'
import BreathWidget from './BreathWidget.vue'
import GasWidget from './GasWidget.vue'
import StrokeWidget from './StrokeWidget.vue'
import TraceWidget from './TraceWidget.vue'
import WeighingWidget from './WeighingWidget.vue'

/** What shows a live point, by the way it is captured; a plain trace unless a family needs its own. */
const widgets: Record<string, Component> = {
  strokes: StrokeWidget,
  'breath-volume': BreathWidget,
  'breath-peak': BreathWidget,
  'breath-plateau': BreathWidget,
  'breath-peep': BreathWidget,
  'breath-rate': BreathWidget,
  'breath-ratio': BreathWidget,
  'gas-step': GasWidget,
  flushed: GasWidget,
  weighing: WeighingWidget,
}

/** Those that show the facts of the frame themselves. */
export const showsFacts = (kind: string | undefined) => widgets[kind ?? ''] === BreathWidget

/** Those that are read as steps of one trace, which goes on from point to point. */
export const goesOn = (kind: string | undefined) => widgets[kind ?? ''] === GasWidget

export const widgetOf = (kind: string | undefined): Component => widgets[kind ?? ''] ?? TraceWidget
