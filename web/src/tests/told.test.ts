import { flushPromises } from '@vue/test-utils'
import { describe, expect, it, vi } from 'vitest'
import TellingSheet from '../house/TellingSheet.vue'
import NoticeCard from '../lookback/NoticeCard.vue'
import SafetyView from '../views/SafetyView.vue'
import ToldView from '../views/ToldView.vue'
import type { components } from '../api/schema.gen'
import { dialog, partly, refuse, say, server, shown, submit, type } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

type Schemas = components['schemas']
const press = async (words: string) => {
  const button = [...document.querySelectorAll('button')].find((b) => b.textContent!.includes(words))
  if (!button) throw new Error(`no button ${words}`)
  button.click()
  await flushPromises()
}
const device = (tag: string, more: Partial<Schemas['ToldDevice']>) => ({
  tag,
  device: 'Ostrel C2',
  site: 'Clinic',
  place: 'Ward',
  may: 'yes' as const,
  faults: [],
  ...more,
})
const toldPage = (more: Partial<Schemas['ToldPage']> = {}) =>
  partly<Schemas['ToldPage']>({
    name: 'Clinic',
    lab: 'Workshop',
    at: '2026-03-02T09:00:00Z',
    total: 3,
    devices: [
      device('QI-1', {}),
      device('QI-2', { may: 'no', words: 'It reads low.' }),
      device('QI-3', { may: 'ask first', words: 'A reference was found out.' }),
    ],
    notices: [{ id: 'n1', tag: 'QI-3', text: 'It read low.', sent_at: '2026-03-01T09:00:00Z' }],
    ...more,
  })

describe("an owner's page", () => {
  it('says of each device whether it may be used, and keeps what was refused', async () => {
    let lost = true
    const sent = server({
      '/api/told': () => toldPage(),
      '/api/told/answers': () => (lost ? refuse('The server does not answer.') : toldPage({ notices: [] })),
      '/api/told/faults': () => toldPage({ devices: [device('QI-1', { may: 'no', words: 'A fault is reported.' })] }),
    })
    const { page } = await shown(ToldView)
    const rows = page.findAll('li').map((r) => r.text())
    expect(rows[0]).toContain('● Yes')
    expect(rows[1]).toContain('◆ No')
    expect(rows[1]).toContain('It reads low.')
    expect(rows[2]).toContain('◇ Ask the workshop first')
    expect(page.text()).toContain('1 without an answer')
    await page.get('[name=answer]').setValue('Nobody was treated by it.')
    await page.get('[name=answerer]').setValue('Sister Ann')
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.text()).toContain('The server does not answer.')
    expect(page.get<HTMLTextAreaElement>('[name=answer]').element.value).toBe('Nobody was treated by it.')
    lost = false
    await page.get('form').trigger('submit')
    await flushPromises()
    expect(page.text()).not.toContain('waits for your answer')
    await press('Something is wrong')
    type('what', 'It shuts itself off')
    await submit()
    const report = sent.find((s) => s.path === '/api/told/faults')!
    expect(report.body).toMatchObject({ tag: 'QI-1', name: 'Sister Ann', what: 'It shuts itself off' })
    expect(page.text()).toContain('QI-1 is not to be used until it has been looked at')
  })
  it('says so where its link opens nothing', async () => {
    server({ '/api/told': () => refuse('This link opens nothing any more.') })
    const { page } = await shown(ToldView)
    expect(page.text()).toContain('This link opens nothing any more.')
    expect(page.find('input').exists()).toBe(false)
  })
})

describe('a notice by mail', () => {
  const card = (more: object) =>
    shown(NoticeCard, {
      lookBack: 'b1',
      closed: false,
      notice: {
        id: 'n1',
        to: 'Ward',
        text: 'Low.',
        mailable: [{ id: 'c1', name: 'Ward', mail: 'w@h.example' }],
        ...more,
      },
    })
  it('goes to whoever is told of the device, once', async () => {
    const sent = server({ '/api/look-backs/{id}/notices/{notice}': () => ({}) })
    await card({})
    await press('Send it to w@h.example')
    expect(sent[0]!.body).toMatchObject({ kind: 'mail', to: 'c1', text: 'Low.' })
    document.body.innerHTML = ''
    const { page } = await card({
      letter: { mail: 'w@h.example', next: '2026-03-02T09:00:00Z', trouble: 'No connection.' },
    })
    expect(page.text()).toContain('◐ A mail to w@h.example is on its way. No connection.')
    expect(page.text()).not.toContain('Send it to')
  })
})

describe('who is told', () => {
  it('is told no more with a reason, and sees which mail was not taken', async () => {
    const view = partly<Schemas['TellingView']>({
      mail: true,
      rules: { weekday: 1, at: '07:00', ahead: 14, retries: [1] },
      contacts: [{ id: 'c1', name: 'Ward 3', mail: 'w@h.example', site: 'Merrowby', digest: true, link: '/told#s' }],
      letters: [
        {
          id: 'l1',
          kind: 'digest',
          name: 'Ward 3',
          mail: 'w@h.example',
          subject: 'Due',
          text: 'Two.',
          at: '2026-03-02T07:00:00Z',
          tries: 7,
          ended: '2026-03-03T07:00:00Z',
          trouble: 'No such user.',
        },
      ],
    })
    const sent = server({
      '/api/telling': () => view,
      '/api/telling/contacts/{id}': () => ({ ...view, contacts: [] }),
      '/api/telling/letters/{id}': () => view,
    })
    const { page } = await shown(TellingSheet)
    expect(page.text()).toContain('◆ not sent')
    expect(page.text()).toContain('Tried 7 times; given up.')
    await press('Try it now')
    expect(sent.at(-1)!.params.path).toEqual({ id: 'l1' })
    await press('Tell no more')
    await say('It closed.')
    expect(sent.at(-1)!.body).toEqual({ do: 'end', why: 'It closed.' })
    expect(page.text()).toContain('Nobody yet.')
  })
})

describe('a safety notice', () => {
  it('is settled device by device', async () => {
    const row = {
      asset: 'a1',
      tag: 'MB-1',
      device: 'Kestmoor A5',
      site: 'Merrowby',
      place: 'Ward',
      serial: 'K1',
      risk: 1,
    }
    const notice = (outcome: string, more: object = {}) =>
      partly<Schemas['SafetyView']>({
        id: 's1',
        number: 'KM-7',
        issuer: 'Kestmoor',
        title: 'Cracked strap',
        text: 'Look.',
        dated: '2026-02-01T00:00:00Z',
        at: '2026-02-02T00:00:00Z',
        by: 'Tamsin Orrery',
        maker: 'Kestmoor',
        models: ['A5'],
        stops: true,
        devices: 1,
        open: outcome === 'open' ? 1 : 0,
        list: [{ ...row, outcome: outcome as 'open', ...more }],
      })
    const sent = server({
      '/api/safety': () => [notice('open')],
      '/api/safety/{id}': () => notice('open', { unsure: 'Its software version is not known.' }),
      '/api/safety/{id}/devices/{tag}': () => notice('done', { note: 'Strap 4', by: 'Idris Vail' }),
    })
    const { page } = await shown(SafetyView)
    expect(page.text()).toContain('Its software version is not known. Look at it.')
    expect(page.text()).toContain('◆ not to be used')
    await press('Settle')
    expect(dialog().textContent).toContain('What was done, with parts and their lots')
    type('note', 'Strap 4')
    await submit()
    expect(sent.find((s) => s.path.endsWith('{tag}'))!.body).toMatchObject({ outcome: 'done', note: 'Strap 4' })
    expect(page.text()).toContain('Strap 4 (Idris Vail)')
  })
})
