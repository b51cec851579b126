import type { Component } from 'vue'
import StrokeWidget from './StrokeWidget.vue'
import TraceWidget from './TraceWidget.vue'

/** What shows a live point, by the way it is captured; a plain trace unless a family needs its own. */
const widgets: Record<string, Component> = { strokes: StrokeWidget }

export const widgetOf = (kind: string | undefined): Component => widgets[kind ?? ''] ?? TraceWidget
