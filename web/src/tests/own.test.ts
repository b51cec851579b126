import { beforeEach, describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import FileList from '../components/FileList.vue'
import SecretField from '../components/SecretField.vue'
import OwnPassword from '../views/OwnPassword.vue'
import { person, refuse, server, session, shown } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session, query: { refetch: () => undefined }, signOut: () => undefined }) }
})
beforeEach(() => Object.assign(session.value, { by: 'password', pin: false, passkey: false }))

describe('what is set first', () => {
  it('is a password of one’s own, and says who gave the other', async () => {
    Object.assign(session.value, { owes: 'password', given_by: 'Bram Ostley', given_at: '2026-03-02T09:30:00Z' })
    const { page } = await shown(OwnPassword, { person: person.value })
    expect(page.text()).toContain('Bram Ostley gave you the one you came in with, on 2 Mar 2026')
    expect(page.text()).toContain('If you did not ask for it, tell your lead')
    expect(page.findAll('input')).toHaveLength(3)
  })

  it('is what somebody of the directory signs with; no password is asked for', async () => {
    Object.assign(session.value, { owes: 'secret', by: 'directory', directory: 'Hallowmere staff' })
    server({ '/api/session/passkeys': () => [] })
    const { page } = await shown(OwnPassword, { person: person.value })
    expect(page.text()).toContain('Hallowmere staff says who you are')
    expect(page.findAll('input').map((i) => i.attributes('name'))).toEqual(['pin'])
  })
})

describe('what one signs with', () => {
  it.each([
    [{ by: 'password', pin: false }, 'your password once more'],
    [{ by: 'password', pin: true }, 'your PIN or password once more'],
    [{ by: 'directory', pin: true }, 'your PIN once more'],
    [{ by: 'directory', pin: false, passkey: true }, 'your passkey once more'],
  ])('is asked for by its name: %o', async (has, words) => {
    Object.assign(session.value, has)
    const { page } = await shown(SecretField, { modelValue: '', meaning: 'performed' })
    expect(page.text()).toContain(words)
  })

  it('shows that a passkey was shown, not what it gave', async () => {
    const { page } = await shown(SecretField, { modelValue: 'passkey/ABC', meaning: 'performed' })
    expect(page.text()).toContain('it signs once')
    expect(page.html()).not.toContain('ABC')
  })
})

describe('documents and pictures', () => {
  const kept = {
    id: 'f1',
    name: 'service report.pdf',
    type: 'application/pdf',
    size: '65 kB',
    note: '',
    hash: 'ab',
    by: 'Idris Vail',
    at: '2026-03-02T09:30:00Z',
  }
  it('are added one after the other; what is not kept is named, and the rest goes on', async () => {
    let asked = 0
    const sent = server({
      '/api/files': (s) =>
        s.method === 'POST' && asked++ === 0
          ? refuse('This is not kept: it is empty.')
          : { files: [kept], room: '65 kB of 200 MB' },
    })
    const { page } = await shown(FileList, { of: 'device', id: 'd1' })
    const input = page.get('input[name=file]')
    const two = ['empty.pdf', 'service report.pdf'].map((name) => new File(['x'], name))
    Object.defineProperty(input.element, 'files', { value: two })
    await input.trigger('change')
    await flushPromises()
    expect(sent.filter((s) => s.method === 'POST').map((s) => s.params.query.name)).toEqual([
      'empty.pdf',
      'service report.pdf',
    ])
    expect(page.text()).toContain('empty.pdf: This is not kept: it is empty.')
    expect(page.get('a').attributes('href')).toBe('/api/files/f1')
  })

  it('are taken off the list with a reason, by whoever keeps them', async () => {
    const sent = server({
      '/api/files': () => ({ files: [kept], room: '65 kB of 200 MB' }),
      '/api/files/{id}/end': () => refuse('Say why it is taken off.'),
    })
    const { page } = await shown(FileList, { of: 'device', id: 'd1' })
    await page.get('li button').trigger('click')
    await flushPromises()
    const form = document.querySelector('form')!
    form.dispatchEvent(new Event('submit', { cancelable: true }))
    await flushPromises()
    expect(sent.at(-1)!.params.path).toEqual({ id: 'f1' })
    expect(document.body.textContent).toContain('Say why it is taken off.')
    person.value = { id: 'odile', name: 'Odile Marsh', role: 'manager' }
    const { page: read } = await shown(FileList, { of: 'device', id: 'd1' })
    expect(read.find('button').exists()).toBe(false)
    expect(read.text()).toContain('service report.pdf')
  })
})
