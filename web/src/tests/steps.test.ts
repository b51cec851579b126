import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import AdjustWork from '../bench/AdjustWork.vue'
import LookWork from '../bench/LookWork.vue'
import AmbientStep from '../bench/AmbientStep.vue'
import BringStep from '../bench/BringStep.vue'
import EndedRun from '../bench/EndedRun.vue'
import FindingStep from '../bench/FindingStep.vue'
import PointDetail from '../bench/PointDetail.vue'
import PointLedger from '../bench/PointLedger.vue'
import SignStep from '../bench/SignStep.vue'
import WaitStep from '../bench/WaitStep.vue'
import { dialog, onBench, person, say, server, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

beforeEach(() => {
  server({
    '/api/bench': () => ({ now: new Date().toISOString(), links: [], runs: [], loose: [] }),
    '/api/runs/{id}/reviewers': () => [{ id: 'tamsin', name: 'Tamsin Orrery', role: 'lead' }],
  })
})

const enter = () => {
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key: 'Enter', bubbles: true }))
  return flushPromises()
}

const finding = (more: object = {}) => ({
  id: 'co2',
  title: 'CO₂',
  closed: 1,
  judges: ['co2'],
  controls: [{ id: 'gain', label: 'Gain', kind: 'gain', on: ['co2'] }],
  decisions: [],
  adjustments: [],
  voided: [],
  can_close: false,
  adjusting: false,
  adjusted: false,
  done: false,
  ...more,
})
const point = (id: string, error?: number, more: object = {}) => ({
  id,
  label: `${id} vol%`,
  readings: [],
  complete: error !== undefined,
  found:
    error === undefined
      ? undefined
      : {
          indicated: Number(id) + error,
          error,
          zone: Math.abs(error) > 0.3 ? 'outside' : 'inside',
          error_to_limit: 0,
          u_to_limit: 0,
        },
  ...more,
})
const run = (more: object = {}) => ({
  id: 'r1',
  seq: 9,
  status: 'open',
  result: 'conforms',
  result_why: 'every point is inside its limits',
  procedure: { id: 'p', title: 'Capnograph, verification', revision: 3 },
  device: { id: 'd1', tag: 'MB-0417' },
  steps: [],
  roles: [],
  findings: [],
  measures: [
    {
      id: 'co2',
      title: 'CO₂',
      tolerance: '<= 0.3',
      shown: 'vol%',
      resolution: 0.01,
      round: 0,
      points: [point('5', 0.42), point('10', -0.08)],
    },
  ],
  remarks: [],
  notes: [],
  loose_ends: [],
  blockers: [],
  revisions: [],
  room: { temperature: 'Cel', pressure: 'hPa' },
  ambient: { recorded: false, temperature_c: 0, pressure_hpa: 0, humidity_percent: 0 },
  ...more,
})

describe('what is decided', () => {
  const advice = {
    decision: 'adjust',
    why: 'The error is 1.4 of its limit.',
    components: { shape: 'gain', offset: 0, gain: 0.08, parts: [] },
    moves: [],
    after: [],
  }
  const judged = (more: object = {}) =>
    onBench(FindingStep, { run: run({ findings: [finding({ advice, ...more })] }), step: { id: 'co2', title: 'CO₂' } })

  it('follows the advice at once, and asks why where it does not', async () => {
    const { page, send } = await judged()
    expect(page.text()).toContain('Advised: adjust')
    await enter()
    expect(send.mock.calls).toEqual([[{ kind: 'decide', finding: 'co2', decision: 'adjust' }]])
    await page
      .findAll('button')
      .find((b) => b.text() === 'Leave as it is')!
      .trigger('click')
    expect(dialog().textContent).toContain('Leave as it is, against the advice')
    await submit()
    expect(send, 'not without a reason').toHaveBeenCalledTimes(1)
    await say('it goes to its maker tomorrow')
    expect(send).toHaveBeenLastCalledWith({
      kind: 'decide',
      finding: 'co2',
      decision: 'leave',
      reason: 'it goes to its maker tomorrow',
    })
  })

  it('takes nothing out of use without asking once more, also where it is advised', async () => {
    const { send } = await judged({ advice: { ...advice, decision: 'withdraw' } })
    await enter()
    expect(send).not.toHaveBeenCalled()
    expect(dialog().textContent).toContain('out of use?')
    expect(document.activeElement?.textContent, 'a second Enter decides nothing').toBe('Not yet')
    const buttons = [...dialog().querySelectorAll('button')]
    buttons.find((b) => b.textContent === 'Yes, take it out of use')!.click()
    await flushPromises()
    expect(send.mock.calls).toEqual([[{ kind: 'decide', finding: 'co2', decision: 'withdraw' }]])
  })

  it('offers no adjustment of what cannot be adjusted', async () => {
    const { page } = await judged({ controls: [] })
    expect(page.findAll('button').map((b) => b.text().replace(/ ?Enter$/, ''))).toEqual([
      'Leave as it is',
      'Look for the cause',
      'Take out of use',
    ])
  })

  it('is not closed before every point is read', async () => {
    const { page, send } = await judged({ closed: 0 })
    expect(page.text()).toContain('Some points are still to be read.')
    await enter()
    expect(send).not.toHaveBeenCalled()
    const ready = await judged({ closed: 0, can_close: true })
    await ready.page.get('button.btn-main').trigger('click')
    expect(ready.send).toHaveBeenLastCalledWith({ kind: 'close-phase', finding: 'co2' })
  })
})

describe('what was adjusted', () => {
  const adjusting = (more: object = {}) =>
    onBench(AdjustWork, {
      run: run(),
      finding: finding({
        adjusting: true,
        advice: {
          decision: 'adjust',
          why: '',
          moves: [{ control: 'gain', steps: -3, words: 'Gain down 3' }],
          after: [0.02, -0.01],
        },
        controls: [
          { id: 'gain', label: 'Gain', kind: 'gain', on: ['co2'] },
          { id: 'zero', label: 'Zero', kind: 'offset', on: ['co2'] },
        ],
        ...more,
      }),
    })

  it('begins with what is advised, and says that a prediction is none', async () => {
    const { page, send } = await adjusting()
    expect(page.get<HTMLInputElement>('[name=presses-gain]').element.value).toBe('-3')
    expect(page.text()).toMatch(/\+0\.02 at\s*5 vol%, −0\.01 at\s*10 vol%/)
    expect(page.text()).toContain('a prediction, not a reading')
    await page.get('button.btn-main').trigger('click')
    await flushPromises()
    expect(send.mock.calls).toEqual([
      [{ kind: 'adjust', finding: 'co2', control: 'gain', point: undefined, steps: -3 }],
    ])
  })

  it.each(['2.5', '2,5', 'three', '−2.1'])('is no press more or less than was typed: %s', async (typed) => {
    const { page, send } = await adjusting()
    await page.get('[name=presses-zero]').setValue(typed)
    await page.get('button.btn-main').trigger('click')
    expect(page.get('[role=alert]').text()).toContain('whole numbers')
    expect(send).not.toHaveBeenCalled()
  })

  it('is something, or a note of what was looked at', async () => {
    const { page, send } = await adjusting()
    await page.get('[name=presses-gain]').setValue('0')
    await page.get('button.btn-main').trigger('click')
    expect(page.get('[role=alert]').text()).toContain('on at least one control')
    expect(send).not.toHaveBeenCalled()
  })

  it('says where a cause lay before it is noted, and what follows from that', async () => {
    const { page, send } = await onBench(LookWork, {
      run: run(),
      finding: finding({ looking: true, may_void: true, outside: ['a leak in the sampling line'] }),
    })
    const [outside, device, nothing] = page.findAll('[aria-label="Where the cause was"] button')
    await device!.trigger('click')
    await page.get('button.btn-main').trigger('click')
    expect(page.get('[role=alert]').text()).toContain('even if it was nothing')
    await page.get('[name=found]').setValue('sensor was wet; dried')
    await page.get('form').trigger('submit')
    expect(send).toHaveBeenLastCalledWith({ kind: 'adjust', finding: 'co2', note: 'sensor was wet; dried' })
    await nothing!.trigger('click')
    await page.get('form').trigger('submit')
    expect(send).toHaveBeenLastCalledWith(expect.objectContaining({ nothing: true }))
    await outside!.trigger('click')
    await page.get('form').trigger('submit')
    expect(page.get('[role=alert]').text()).toContain('Choose what it was')
    await page.get('[value="a leak in the sampling line"]').setValue()
    await page.get('form').trigger('submit')
    expect(page.get('[role=alert]').text()).toContain('put right')
    await page.get('[name=put-right]').setValue('tightened')
    await page.get('form').trigger('submit')
    expect(send).toHaveBeenLastCalledWith({
      kind: 'void-as-found',
      finding: 'co2',
      cause: 'a leak in the sampling line',
      note: 'tightened',
    })
  })

  it('has amounts also where it is decided against the advice', async () => {
    const { page } = await adjusting({
      advice: { decision: 'leave', why: '' },
      offer: { decision: 'adjust', moves: [{ control: 'gain', steps: 4, words: 'Gain up 4' }], after: [0] },
    })
    expect(page.text()).toContain('Against the advice')
    expect(page.get<HTMLInputElement>('[name=presses-gain]').element.value).toBe('4')
  })

  it('is typed once for a trim that serves several points', async () => {
    const m = {
      ...run().measures[0]!,
      points: [point('1', 0, { zone: 'low' }), point('5', 0, { zone: 'low' }), point('10', 0, { zone: 'high' })],
    }
    const { page, send } = await onBench(AdjustWork, {
      run: run({ measures: [m] }),
      finding: finding({ controls: [{ id: 'trim', label: 'Trim', kind: 'zone', on: ['co2'] }] }),
    })
    expect(page.findAll('fieldset .label').map((l) => l.text())).toEqual(['low', 'high'])
    await page.get('[name="presses-trim co2/10"]').setValue('−2')
    await page.get('button.btn-main').trigger('click')
    expect(send).toHaveBeenCalledWith({ kind: 'adjust', finding: 'co2', control: 'trim', point: 'co2/10', steps: -2 })
  })
})

describe('the room', () => {
  it('goes from field to field by Enter, and is recorded as it was typed', async () => {
    const { page, send } = await onBench(AmbientStep, { run: run(), step: { id: 'room', title: 'The room' } })
    const inputs = page.findAll('input')
    for (const [i, text] of ['21,4', '1009', '46', 'RC-01'].entries()) {
      await inputs[i]!.setValue(text)
      await inputs[i]!.trigger('keydown', { key: 'Enter' })
      if (i < 3) expect(document.activeElement).toBe(inputs[i + 1]!.element)
    }
    expect(send.mock.calls).toEqual([
      [{ kind: 'ambient', step: 'room', temperature: '21,4', pressure: '1009', humidity: '46', source: 'RC-01' }],
    ])
    const next = await onBench(AmbientStep, { run: run(), step: { id: 'room', title: 'The room' } })
    expect(next.page.get<HTMLInputElement>('[name=source]').element.value, 'the same instrument the next time').toBe(
      'RC-01',
    )
  })

  it('shows what was recorded in other units with its unit, and without the tail of a conversion', async () => {
    const { page } = await onBench(AmbientStep, {
      run: run({
        room: { temperature: '[degF]', pressure: 'hPa' },
        ambient: { recorded: true, temperature_c: 21.38888888888889, pressure_hpa: 1009.1, humidity_percent: 46 },
      }),
      step: { id: 'room', title: 'The room', done: true },
    })
    expect(page.get<HTMLInputElement>('[name=temperature]').element.value).toBe('21.38889 °C')
    expect(page.get<HTMLInputElement>('[name=pressure]').element.value).toBe('1009.1')
  })
})

describe('a wait', () => {
  const wait = (timer?: object) => ({
    id: 'warm',
    kind: 'wait',
    title: 'Warm-up',
    minutes: 10,
    why: 'the bench drifts while it is cold',
    timer,
  })
  const steps = [
    wait(),
    { id: 'check', kind: 'check', title: 'Casing' },
    { id: 'gas', kind: 'act', title: 'Gas on' },
    { id: 'late', kind: 'check', title: 'Labels' },
  ]

  it('is started once, and then leads to what can be done meanwhile', async () => {
    const { send } = await onBench(WaitStep, { run: run({ steps }), step: wait() })
    await enter()
    expect(send.mock.calls).toEqual([[{ kind: 'start-wait', step: 'warm' }]])
    document.body.innerHTML = ''
    const until = new Date(Date.now() + 300_000).toISOString()
    const running = wait({ started: new Date().toISOString(), until, over: false })
    const { page } = await onBench(WaitStep, { run: run({ steps: [running, ...steps.slice(1)] }), step: running })
    expect(page.findAll('li').map((l) => l.text())).toEqual(['Casing Enter'])
    expect(page.get('[role=timer]').text()).toMatch(/[45]:\d\d|5 min|4 min/)
  })

  it('that was cut short says so and why', async () => {
    const cut = wait({
      started: '2026-03-02T09:00:00Z',
      until: '2026-03-02T09:10:00Z',
      cut: 'it was warm from the ward',
      over: true,
    })
    const { page } = await onBench(WaitStep, { run: run({ steps: [cut] }), step: cut })
    expect(page.text()).toContain('cut short')
    expect(page.text()).toContain('it was warm from the ward')
    expect(page.find('button').exists()).toBe(false)
  })
})

describe('references at the bench', () => {
  const offer = (tag: string, blocks: string[] = []) => ({
    standard: { id: tag, tag, certificate: { due_on: '2027-04-28T00:00:00Z' } },
    fitness: { blocks, warnings: [] },
  })
  const roles = [
    { id: 'gas', title: '5 % CO₂' },
    { id: 'second', title: '10 % CO₂' },
    { id: 'extra', title: 'Flow', optional: true },
  ]
  const offers: Record<string, unknown[]> = {
    gas: [offer('HG-19', ['It is in quarantine.']), offer('HG-22'), offer('HG-24')],
    second: [offer('HG-20', ['Not enough gas.'])],
    extra: [offer('FA-1')],
  }
  const bring = () => {
    server({ '/api/runs/{id}/roles/{role}': (s) => offers[s.params.path.role!] })
    return onBench(BringStep, { run: run({ roles }), step: { id: 'bring', title: 'Bring' } })
  }

  it('takes the first that fits for each that must be filled, and nothing that does not fit', async () => {
    const { page, send } = await bring()
    expect(page.text()).toContain('1 cannot be used, and why')
    await enter()
    expect(send.mock.calls).toEqual([[{ kind: 'bind', role: 'gas', standard: 'HG-22', reason: undefined }]])
  })

  it('fills a role too whose references are still being checked when Enter is pressed', async () => {
    let arrive!: (list: unknown[]) => void
    server({
      '/api/runs/{id}/roles/{role}': (s) =>
        s.params.path.role === 'second'
          ? new Promise<unknown[]>((resolve) => (arrive = resolve))
          : offers[s.params.path.role!],
    })
    const { page, send } = await onBench(BringStep, { run: run({ roles }), step: { id: 'bring', title: 'Bring' } })
    expect(page.text(), 'not before it is known').not.toContain('No reference of this kind')
    await enter()
    await enter() // again, since nothing seems to happen
    arrive([offer('HG-23')])
    await flushPromises()
    expect(send.mock.calls.map(([c]) => c.standard)).toEqual(['HG-22', 'HG-23'])
  })

  it('lets a lead allow one for as found only, with the reason; nobody else', async () => {
    const { page, send } = await bring()
    await page
      .findAll('button')
      .find((b) => b.text() === 'Allow HG-20 for as found only')!
      .trigger('click')
    expect(dialog().textContent).toContain('no statement of conformity')
    await say('the other is on its way')
    expect(send).toHaveBeenCalledWith({
      kind: 'bind',
      role: 'second',
      standard: 'HG-20',
      reason: 'the other is on its way',
    })
    person.value = { id: 'idris', name: 'Idris Vail', role: 'technician' }
    expect((await bring()).page.text()).not.toContain('Allow HG-20')
  })
})

describe('the end of a run', () => {
  it('is signed by a statement that says what was done, or by the technician’s own', async () => {
    const words = 'Verified by “Capnograph, verification”, revision 3. Changed: round 1: 3 presses down on the gain.'
    const { page, send } = await onBench(SignStep, {
      run: run({
        statement: words,
        needs_review: true,
        blockers: ['A cap is off: Put the cap back'],
        loose_ends: [{ what: 'Cap off' }, { what: 'Valve', closed_at: '2026-03-02T09:00:00Z' }],
      }),
      step: { id: 'sign' },
    })
    expect(page.get<HTMLTextAreaElement>('[name=statement]').element.value).toBe(words)
    expect(page.text()).toContain('Before it can be signed')
    expect(page.findAll('button').map((b) => b.text())).not.toContain('Valve: close it by hand')
    await enter()
    expect(send, 'Enter goes to what is missing, and never signs').not.toHaveBeenCalled()
    expect(document.activeElement?.textContent).toContain('close it by hand')
    await page.get('[name=reviewer]').setValue('tamsin')
    await page.get('form').trigger('submit')
    expect(send, 'not without the password').not.toHaveBeenCalled()
    await page.get('[name=secret]').setValue('a long password')
    await page.get('form').trigger('submit')
    const order = { kind: 'sign', statement: words, reviewer: 'tamsin', secret: 'a long password' }
    expect(send).toHaveBeenLastCalledWith(order)
    await page.get('[name=statement]').setValue('As found only.')
    await page.get('[name=secret]').setValue('a long password')
    await page.get('form').trigger('submit')
    expect(send).toHaveBeenLastCalledWith({ ...order, statement: 'As found only.' })
  })

  const signed = (more: object = {}) =>
    run({
      status: 'in review',
      hands: [{ id: 'idris', name: 'Idris Vail', role: 'technician' }],
      signature: { by: { id: 'idris', name: 'Idris Vail' }, at: '2026-03-02T09:00:00Z', statement: 'x' },
      ...more,
    })
  const choices = async (r: object) => (await onBench(EndedRun, { run: r })).page.findAll('button').map((b) => b.text())

  it('is countersigned by another lead, never by who signed it', async () => {
    const mine = signed({
      signature: { by: { id: 'tamsin', name: 'Tamsin Orrery' }, at: '2026-03-02T09:00:00Z', statement: 'x' },
      hands: [{ id: 'tamsin', name: 'Tamsin Orrery', role: 'lead' }],
    })
    const [others, own] = [await choices(signed()), await choices(mine)]
    expect(others.length).toBeGreaterThan(own.length)
    person.value = { id: 'noor', name: 'Noor Bexley', role: 'technician' }
    expect((await choices(signed())).length).toBeLessThan(others.length)
  })

  it('says when it is due next, or that it leaves use', async () => {
    const good = await onBench(EndedRun, {
      run: signed({ status: 'signed', next: { on: '2027-03-02T00:00:00Z', reason: 'every 12 months' } }),
    })
    expect(good.page.text()).toContain('Next due 2 Mar 2027')
    const bad = await onBench(EndedRun, {
      run: signed({ status: 'signed', result: 'does not conform', replaced_by: 'r2' }),
    })
    expect(bad.page.text()).toContain('It leaves use; no next date is set.')
    expect(bad.page.text()).toContain('This run counts no more.')
  })
})

describe('a point in full', () => {
  it('lets any reading of an open round be withdrawn, with its reason', async () => {
    const reading = (id: string, more: object = {}) => ({
      id,
      round: 0,
      phase: 'as found',
      values: [4.9],
      at: '2026-03-02T09:00:00Z',
      by: 'Idris Vail',
      source: 'typed',
      ...more,
    })
    const { send } = await onBench(PointDetail, {
      run: run({ status: 'open' }),
      measure: { ...run().measures[0], reading: true, round: 0 },
      point: {
        ...point('5', undefined),
        readings: [reading('r1', { withdrawn: 'slipped' }), reading('r2'), reading('r3', { round: 1 })],
      },
    })
    const offered = () => [...dialog().querySelectorAll('button')].filter((b) => b.textContent?.includes('read again'))
    expect(offered(), 'not what was withdrawn, nor what is of another round').toHaveLength(1)
    offered()[0]!.click()
    await flushPromises()
    await submit()
    expect(send, 'not without a reason').not.toHaveBeenCalled()
    expect(document.activeElement).toBe(dialog().querySelector('[name=why]'))
    type('why', 'the line was loose')
    await submit()
    expect(send).toHaveBeenCalledWith({ kind: 'withdraw', reading: 'r2', reason: 'the line was loose' })
  })
})

describe('the ledger', () => {
  it('shows every point by what was last read of it, and what was left out', async () => {
    const points = [
      point('5', 0.42, { left: { indicated: 5.01, error: 0.01, zone: 'inside', error_to_limit: 0, u_to_limit: 0 } }),
      point('10', -0.08),
      point('0', undefined, { omitted: 'no zero gas' }),
    ]
    const { page } = await onBench(PointLedger, {
      run: run({
        measures: [{ ...run().measures[0], points }],
        remarks: ['As found outside its limits.'],
        notes: [{ at: '2026-03-02T09:00:00Z', by: { name: 'Idris Vail' }, text: 'lid cracked' }],
      }),
      step: { id: 'co2' },
    })
    const rows = page.findAll('tbody tr').map((r) =>
      r
        .findAll('td')
        .slice(1, 3)
        .map((d) => d.text()),
    )
    expect(rows).toEqual([
      ['5.01', '+0.010'],
      ['9.92', '−0.080'],
      ['left out', ''],
    ])
    expect(page.text()).toContain('≤ 0.3 vol%')
    expect(page.text()).toContain('As found outside its limits.')
    expect(page.text()).toContain('Note by Idris Vail: lid cracked')
  })
})
