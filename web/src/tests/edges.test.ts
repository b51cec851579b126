import { flushPromises } from '@vue/test-utils'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import BenchDock from '../components/BenchDock.vue'
import LooseEnds from '../components/LooseEnds.vue'
import NewDevice from '../components/NewDevice.vue'
import TouchedRuns from '../lookback/TouchedRuns.vue'
import YearLoad from '../rounds/YearLoad.vue'
import { dialog, person, refuse, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})
const sounds = vi.hoisted(() => ({ tone: vi.fn(), notify: vi.fn() }))
vi.mock('../composables/useTone', () => sounds)

beforeEach(() => vi.clearAllMocks())
/** A key by itself; the page waits a moment for whether a scanner types more. */
const press = async (key: string, more: KeyboardEventInit = {}) => {
  document.body.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true, ...more }))
  await new Promise((resolve) => setTimeout(resolve, 200))
  await flushPromises()
}
const ago = (seconds: number) => new Date(Date.now() - 1000 * seconds).toISOString()

describe('what runs on', () => {
  const run = (id: string, more: object = {}) => ({
    id,
    tag: `MB-${id}`,
    family: 'infusion-pump',
    title: 'Verification',
    now: 'Flow: 100 mL/h',
    by: 'Noor Bexley',
    mine: true,
    ...more,
  })

  it('lies along the edge by number, with what each does now and whose it is', async () => {
    const runs = [
      run('1'),
      run('2', { mine: false }),
      run('3', { timer_title: 'Warm-up', timer_start: ago(60), timer_until: ago(-240) }),
      run('4', { timer_title: 'Settling', timer_start: ago(60), timer_until: ago(5) }),
      run('5'),
      run('6'),
    ]
    const sequences = [
      { run: '5', running: true, now: '250 Hz, right' },
      { run: '6', alarm: true, why: 'the link is gone' },
    ]
    const { page, router } = await shown(BenchDock, { runs, sequences })
    const words = (id: string) => page.get(`[data-dock="MB-${id}"]`).text()
    expect(words('1')).toContain('infusion pump')
    expect(words('1')).not.toContain('Noor Bexley')
    expect(words('2')).toContain('Flow: 100 mL/h · Noor Bexley')
    expect(words('3')).toMatch(/[34]:\d\d\s*Warm-up/)
    expect(words('4')).toContain('Settling is over')
    expect(words('5')).toContain('reads by itself: 250 Hz, right')
    expect(words('6')).toContain('◆ stopped: the link is gone')
    await press('2', { altKey: true, code: 'Digit2' })
    expect(router.currentRoute.value.path).toBe('/run/2')
    await press('9', { altKey: true, code: 'Digit9' })
    expect(router.currentRoute.value.path, 'there is no ninth').toBe('/run/2')
  })

  it('calls once when a timer ends, and not for one that was over before', async () => {
    const over = run('1', { timer_title: 'Warm-up', timer_start: ago(60), timer_until: ago(5) })
    const { page } = await shown(BenchDock, {
      runs: [over, run('2', { timer_title: 'Settling', timer_start: ago(60), timer_until: ago(-60) })],
    })
    await new Promise((resolve) => setTimeout(resolve, 300)) // the clock has ticked: what was over is known
    expect(sounds.tone).not.toHaveBeenCalled()
    await page.setProps({
      runs: [over, run('2', { timer_title: 'Settling', timer_start: ago(60), timer_until: ago(1) })],
    })
    await page.setProps({
      runs: [over, run('2', { timer_title: 'Settling', timer_start: ago(60), timer_until: ago(2) })],
    })
    expect(sounds.tone).toHaveBeenCalledTimes(1)
    expect(sounds.notify).toHaveBeenCalledWith('MB-2: Settling is over', 'Verification')
    expect(page.emitted('ended')).toHaveLength(1)
  })

  it('says how to begin where nothing runs', async () => {
    expect((await shown(BenchDock, { runs: [] })).page.text()).toContain('No run in progress')
  })
})

describe('what stands open', () => {
  it('is told with the longest time, and leads to its run', async () => {
    const ends = [
      { run: 'r1', tag: 'MB-0417', what: 'Gas open', by: 'Idris Vail', opened_at: ago(2 * 3600 + 630) },
      { run: 'r2', tag: 'MB-0460', what: 'Menu entered', by: 'Noor Bexley', opened_at: ago(330) },
    ]
    const { page, router } = await shown(LooseEnds, { ends })
    expect(page.text()).toContain('2 loose · 2 h 10 min')
    await press('l')
    const rows = [...document.querySelectorAll<HTMLElement>('[role=dialog] li a')]
    expect(rows[1]!.textContent).toMatch(/MB-0460 · opened by Noor Bexley · open 5 min/)
    rows[0]!.click()
    await vi.waitFor(() => expect(router.currentRoute.value.path).toBe('/run/r1'))
  })

  it('is said to be nothing where it is nothing', async () => {
    expect((await shown(LooseEnds, { ends: [] })).page.text()).toBe('no loose ends')
  })
})

describe('a device that comes in', () => {
  it('keeps every entry when its tag is taken, and is entered with what a dose needs', async () => {
    let taken = true
    const sent = server({
      '/api/assets': () =>
        taken ? refuse('MB-0417 is in the register already. Choose another tag.', 'tag') : { tag: 'MB-9001' },
    })
    const { router } = await shown(NewDevice, { families: ['capnograph', 'patient-scale'] })
    for (const [name, text] of Object.entries({
      tag: 'MB-0417',
      maker: 'Kestmoor',
      model: 'column scale 200',
      site: 'Merrowby General',
      family: 'patient-scale',
      risk: '4',
    }))
      type(name, text)
    await flushPromises()
    dialog().querySelector<HTMLInputElement>('[name=pounds]')!.click()
    expect(dialog().textContent).toContain('mixed units kill')
    await submit()
    expect(document.activeElement).toBe(dialog().querySelector('[name=tag]'))
    expect(dialog().querySelector<HTMLInputElement>('[name=model]')!.value).toBe('column scale 200')
    taken = false
    type('tag', 'MB-9001')
    await submit()
    expect(sent[1]!.body).toMatchObject({
      tag: 'MB-9001',
      family: 'patient-scale',
      risk: 4,
      units: { mass: '[lb_av]' },
    })
    expect(sent[1]!.body.adjustment).toBeUndefined()
    await flushPromises()
    expect(router.currentRoute.value.path).toBe('/device/MB-9001')
  })
})

describe('the year', () => {
  const year = (moves: number) => ({
    months: ['2026-12', '2027-01'],
    hours: [80, 10],
    levelled: [50, 40],
    capacity: 60,
    moves,
  })

  it('is drawn against its capacity, and levelled by who may', async () => {
    let refused = true
    const sent = server({
      '/api/workload': (s) =>
        s.method === 'GET' ? year(7) : refused ? refuse('A lead or a manager levels the year.') : year(0),
    })
    const { page } = await shown(YearLoad)
    expect(page.findAll('.bg-ink').map((b) => b.attributes('style'))).toEqual(['height: 62.5px;', 'height: 50px;'])
    expect(page.get('.border-dashed').attributes('style')).toBe('bottom: 95px;')
    expect(page.text()).toMatch(/Dec.*Jan/)
    await page.get('button').trigger('click')
    await flushPromises()
    expect(page.get('[role=alert]').text()).toBe('A lead or a manager levels the year.')
    refused = false
    await page.get('button').trigger('click')
    await flushPromises()
    expect(page.find('[role=alert]').exists(), 'what went wrong before is over').toBe(false)
    expect(page.find('button').exists(), 'nothing more to move').toBe(false)
    expect(sent.filter((s) => s.method === 'POST')).toHaveLength(2)
  })

  it('is only looked at by a technician', async () => {
    person.value.role = 'technician'
    server({ '/api/workload': () => year(7) })
    expect((await shown(YearLoad)).page.find('button').exists()).toBe(false)
  })
})

describe('what rested on a bad reference', () => {
  it('shows what changes first, in words too, and how many are not shown', async () => {
    const point = (label: string, changed: boolean) => ({
      label,
      phase: 'as found',
      before: 0.4,
      after: 1.2,
      fan_after: 0.1,
      changed,
      sentence: `${label}: read too high`,
    })
    const runs = [
      {
        run: 'r1',
        tag: 'MB-0417',
        at: ago(9000),
        device: 'Ostrel C2',
        place: 'Theatre 2',
        changed: 1,
        points: ['a', 'b', 'c', 'd', 'e', 'f', 'g'].map((l) => point(l, l === 'g')),
      },
      { run: 'r2', tag: 'MB-0418', at: ago(9000), device: 'Ostrel C2', place: 'Theatre 2', changed: 0, points: [] },
    ]
    const { page } = await shown(TouchedRuns, { runs })
    const [first, second] = page.findAll('section > ul > li')
    expect(first!.text()).toContain('◆ one statement changes')
    expect(first!.findAll('ul li')[0]!.attributes('title')).toBe('g: read too high')
    expect(first!.text()).toContain('and 1 more')
    expect(second!.text()).toContain('● stands as it was')
  })
})
