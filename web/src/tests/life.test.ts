import { describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import DeviceLife from '../equipment/DeviceLife.vue'
import type { components } from '../api/schema.gen'
import { partly, person, refuse, server, shown } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})
type Device = components['schemas']['AssetView']
const device = (more: Partial<Device> = {}) =>
  partly<Device>({
    id: 'd1',
    tag: 'MB-0417',
    serial: 'SN-1',
    maker: 'Ostrel',
    model: 'C2',
    risk: 4,
    site: 'Merrowby General',
    place: 'Theatre 1',
    state: 'in use',
    faults: [],
    ...more,
  })
const words = () => document.querySelector('[role=dialog]')!.textContent!
async function fill(name: string, text: string) {
  const field = document.querySelector<HTMLInputElement>(`[role=dialog] [name=${name}]`)!
  field.value = text
  field.dispatchEvent(new Event('input'))
  await flushPromises()
}
async function submit() {
  document.querySelector('[role=dialog] form')!.dispatchEvent(new Event('submit', { cancelable: true }))
  await flushPromises()
}
async function press(page: Awaited<ReturnType<typeof shown>>['page'], label: string) {
  await page
    .findAll('button')
    .find((b) => b.text().startsWith(label))!
    .trigger('click')
  await flushPromises()
}

describe('the life of a device', () => {
  it('takes a fault with who noticed it; what is refused stays as it was typed', async () => {
    let asked = 0
    const sent = server({
      '/api/assets/{id}/faults': () => (asked++ ? device() : refuse('Say what is wrong.', 'what')),
    })
    const { page } = await shown(DeviceLife, { device: device() })
    await press(page, 'Report a fault')
    expect(words()).toContain('It is not to be used from then on')
    await fill('reporter', 'Ward 3')
    await submit()
    expect(words()).toContain('Say what is wrong.')
    await fill('text', 'no display')
    await submit()
    expect(sent.map((s) => s.body.what)).toEqual(['', 'no display'])
    expect(sent[1]!.body).toMatchObject({ reporter: 'Ward 3', id: sent[0]!.body.id })
    expect(document.querySelector('[role=dialog]')).toBeNull()
  })

  it('judges one by what was found, and says what follows', async () => {
    const sent = server({ '/api/faults/{id}/judge': () => true })
    const fault = { id: 'f1', what: 'no display', reporter: 'Ward 3', at: '2026-03-02T09:00:00Z', by: 'Fenn Castellan' }
    const { page } = await shown(DeviceLife, { device: device({ faults: [fault] }) })
    expect(page.get('li').text()).toContain('◆ no display')
    await press(page, 'Judge it')
    expect(words()).toContain('everything that it undoes is due')
    document.querySelector<HTMLInputElement>('input[value=mended]')!.click()
    await fill('text', 'a loose plug')
    await submit()
    expect(sent[0]).toMatchObject({
      params: { path: { id: 'f1' } },
      body: { outcome: 'mended', found: 'a loose plug' },
    })
  })

  it('corrects what was entered, and goes to the new tag', async () => {
    const sent = server({ '/api/assets/{id}/correct': () => device() })
    const { page } = await shown(DeviceLife, { device: device() })
    await press(page, 'Correct')
    await fill('tag', 'MB-0418')
    await fill('text', 'misread')
    await submit()
    expect(sent[0]!.body).toEqual({
      tag: 'MB-0418',
      serial: 'SN-1',
      maker: 'Ostrel',
      model: 'C2',
      risk: 4,
      keeper: '',
      owner: '',
      reason: 'misread',
    })
    expect(page.emitted('renamed')).toEqual([['d1']])
  })

  it('offers what fits how it stands, to whoever may', async () => {
    const offered = async (more: Partial<Device>) => {
      const { page } = await shown(DeviceLife, { device: device(more) })
      return page.findAll('button').map((b) => b.text().replace(/ …$/, ''))
    }
    expect(await offered({ away: { to: 'a ward', since: '2026-03-01T00:00:00Z' } })).toContain('It is back')
    expect(await offered({ state: 'out of use' })).not.toContain('Out of use')
    expect(await offered({ state: 'retired' })).toEqual(['In the register again'])
    person.value = { id: 'fenn', name: 'Fenn Castellan', role: 'trainee' }
    expect(await offered({})).toEqual(['Report a fault'])
    person.value = { id: 'odile', name: 'Odile Marsh', role: 'manager' }
    expect(await offered({})).toEqual([])
  })
})
