import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import { nextTick } from 'vue'
import BreathWidget from '../bench/BreathWidget.vue'
import ChangedPart from '../bench/ChangedPart.vue'
import CheckStep from '../bench/CheckStep.vue'
import GasWidget from '../bench/GasWidget.vue'
import PlateStep from '../bench/PlateStep.vue'
import StrokeWidget from '../bench/StrokeWidget.vue'
import TakeBack from '../bench/TakeBack.vue'
import TraceWidget from '../bench/TraceWidget.vue'
import { goesOn, showsFacts, widgetOf } from '../bench/widgets'
import { partly, onBench, say } from './page'
import type { Finding, LiveFrame, Measure, Point, Run, Step } from '../api/client'

const traces = { FLOW: { t: [0, 0.1], v: [0, 1.2] }, PRESSURE: { t: [0], v: [5] } }
const measure = (more: object) =>
  partly<Measure>({ resolution: 0.1, shown: '%', points: [], capture: { channel: 'FLOW' }, ...more })

describe('the widget of a way of capturing', () => {
  it('is its own where a trace alone does not do', () => {
    expect(widgetOf('strokes')).toBe(StrokeWidget)
    expect(widgetOf('breath-peep')).toBe(BreathWidget)
    expect(widgetOf('flushed')).toBe(GasWidget)
    expect(widgetOf('steady')).toBe(TraceWidget)
    expect(widgetOf(undefined)).toBe(TraceWidget)
    expect(showsFacts('breath-volume')).toBe(true)
    expect(goesOn('gas-step') && !goesOn('strokes')).toBe(true)
  })
})

describe('a ventilator’s breaths', () => {
  const props = {
    traces,
    measure: measure({ capture: { kind: 'breath-peep', channel: 'FLOW' } }),
    point: {} as Point,
    label: 'live',
  }
  it('show three curves and make the figure that is read stand out', () => {
    const frame = partly<LiveFrame>({
      facts: [
        { label: 'VT', text: '498 mL' },
        { label: 'PEEP', text: '5.1' },
      ],
    })
    const page = mount(BreathWidget, { props: { ...props, frame }, global: { stubs: { LiveTrace: true } } })
    expect(page.findAllComponents({ name: 'LiveTrace' })).toHaveLength(3)
    const current = page.findAll('[aria-current=true]')
    expect(current).toHaveLength(1)
    expect(current[0]!.text()).toBe('5.1')
  })
  it('say what they wait for', () => {
    const page = mount(BreathWidget, { props, global: { stubs: { LiveTrace: true } } })
    expect(page.text()).toContain('Waiting for whole breaths')
  })
})

describe('a gas in steps', () => {
  it('shows where it is, and what stands already by shape', () => {
    const points = [
      { id: 'air', label: 'room air', expected: { reference: 20.9 }, found: { zone: 'inside' as const } },
      { id: 'gas', label: 'gas', expected: { reference: 16 } },
      { id: 'none', label: 'no second gas' },
    ]
    const page = mount(GasWidget, {
      props: { traces, measure: measure({ points }), point: partly<Point>(points[1]!), label: 'live' },
      global: { stubs: { LiveTrace: true } },
    })
    const steps = page.findAll('li')
    expect(steps).toHaveLength(2)
    expect(steps[0]!.find('svg').exists()).toBe(true)
    expect(steps[1]!.attributes('aria-current')).toBe('step')
    expect(steps[1]!.text()).toContain('16.0')
  })
})

describe('settings to record', () => {
  it('are chosen by name, and sent with the figures', async () => {
    const step = partly<Step>({
      id: 'settings',
      title: 'Settings',
      fields: [
        {
          id: 'gas',
          label: 'Gas',
          unit: '',
          options: [
            { id: 'air', title: 'air' },
            { id: 'O2', title: 'pure oxygen' },
          ],
        },
        { id: 'bias', label: 'Bias flow', unit: 'L/min' },
      ],
    })
    const { page, send } = await onBench(PlateStep, { run: {} as Run, step })
    expect(page.findAll('option')).toHaveLength(3)
    await page.find('select').setValue('O2')
    await page.find('input').setValue('2,5')
    await page.find('button').trigger('click')
    expect(send).toHaveBeenCalledWith({ kind: 'plate', step: 'settings', values: { gas: 'O2', bias: '2,5' } })
  })
})

describe('a check', () => {
  it('is passed, failed or not fitted where it is a test', async () => {
    const { page } = await onBench(CheckStep, {
      run: {} as Run,
      step: { id: 'c', title: 'CO₂ zero', tests: true } as Step,
    })
    expect(page.text()).toMatch(/Passed.*Failed.*Not fitted/s)
    const { page: asked, send } = await onBench(CheckStep, {
      run: {} as Run,
      step: { id: 'c', title: 'CO₂ zero', tests: true } as Step,
    })
    await asked
      .findAll('button')
      .find((b) => b.text() === 'Not fitted …')!
      .trigger('click')
    expect(send).not.toHaveBeenCalled()
    await say('it has none')
    expect(send).toHaveBeenCalledWith({ kind: 'answer', step: 'c', answer: 'does not apply', note: 'it has none' })
    const plain = await onBench(CheckStep, { run: {} as Run, step: { id: 'c', title: 'Casing' } as Step })
    expect(plain.page.text()).toMatch(/Fine.*Not fine.*Does not apply/s)
  })
})

describe('what was changed or is taken back', () => {
  it('names the steps that count no more before it asks why', async () => {
    const run = partly<Run>({
      steps: [{ id: 'tight', title: 'Leak' }],
      parts: [{ id: 'circuit', title: 'Another breathing circuit', invalidates: ['tight'] }],
    })
    const { page, send } = await onBench(ChangedPart, { run })
    await page.find('button').trigger('click')
    await page.findAll('button')[1]!.trigger('click')
    await nextTick()
    expect(document.body.textContent).toContain('done again: Leak.')
    expect(send).not.toHaveBeenCalled()
  })
  it('offers the way back only where there is one', async () => {
    const finding = partly<Finding>({ id: 'f', undo: [{ control: 'table', steps: -2, words: '2 presses down' }] })
    expect((await onBench(TakeBack, { finding })).page.text()).toContain('Put back what stood before')
    expect((await onBench(TakeBack, { finding: { id: 'f' } as Finding })).page.text()).toBe('')
  })
})
