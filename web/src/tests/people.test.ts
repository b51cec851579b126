import { describe, expect, it, vi } from 'vitest'
import { flushPromises } from '@vue/test-utils'
import PeopleSheet from '../house/PeopleSheet.vue'
import { person, refuse, server, shown } from './page'

vi.mock('../composables/useSession', async () => {
  const { can, person, session } = await import('./page')
  return { useSession: () => ({ person, can, session }) }
})

const people = [
  { id: 'idris', name: 'Idris Vail', role: 'technician', active: true, by: 'password', works: true },
  { id: 'noor', name: 'Noor Bexley', role: 'technician', active: false, by: 'password', works: true },
]
const answers = {
  '/api/house': () => ({ people, families: [] }),
  '/api/house/competences': () => [],
  '/api/history/{of}/{id}': () => [],
  '/api/house/people/{id}/holdings': () => [{ words: '2 open runs: MB-0462, AR-0586.', to: '/bench' }],
}
const button = (words: string) =>
  [...document.querySelectorAll('button')].find(
    (b) => b.textContent?.trim() === words || b.getAttribute('aria-label') === words,
  )!
const pressed = async (words: string) => {
  button(words).click()
  await flushPromises()
}
const typed = (name: string, text: string) => {
  const field = document.querySelector<HTMLInputElement>(`input[name=${name}]`)!
  field.value = text
  field.dispatchEvent(new Event('input'))
}

describe('the people of the house', () => {
  it('are changed with a reason, in sight of what they have in hand, and what was typed stays when it is refused', async () => {
    person.value = { id: 'bram', name: 'Bram Ostley', role: 'administrator' }
    let say: unknown = refuse('Idris Vail is the last lead: give somebody else that role first.', 'role')
    const sent = server({ ...answers, '/api/house/people/{id}': () => say })
    const { page } = await shown(PeopleSheet, {})
    await flushPromises()
    expect(page.text()).toContain('Noor Bexley still has in hand')
    await pressed('Change Idris Vail')
    expect(document.body.textContent).toContain('2 open runs: MB-0462, AR-0586.')
    const change = button('Change it') as HTMLButtonElement
    expect(change.disabled).toBe(true)
    document.querySelector<HTMLInputElement>('input[name=active]')!.click()
    await flushPromises()
    expect(document.querySelector<HTMLInputElement>('input[name=reason]')!.required).toBe(true)
    typed('reason', 'retires in May')
    await flushPromises()
    await pressed('Change it')
    expect(document.body.textContent).toContain('is the last lead')
    expect(document.querySelector<HTMLInputElement>('input[name=reason]')!.value).toBe('retires in May')
    say = { people, families: [] }
    await pressed('Change it')
    expect(sent.filter((s) => s.method === 'POST').at(-1)!.body).toEqual({
      role: 'technician',
      active: false,
      reason: 'retires in May',
    })
    expect(button('Change it')).toBeUndefined()
  })

  it('come as a list that is read before anybody is registered; its passwords are shown once', async () => {
    person.value = { id: 'bram', name: 'Bram Ostley', role: 'administrator' }
    const wren = { line: 2, name: 'Wren Halloway', role: 'technician', active: true }
    const list = { refused: [{ line: 3, field: 'role', why: 'is none' }], ignored: [], done: false }
    const sent = server({
      ...answers,
      '/api/house/people-list': ({ params }) =>
        params.query.take
          ? { ...list, done: true, people: [{ ...wren, password: 'abcd-efgh-ijkl' }] }
          : { ...list, people: [wren] },
    })
    const { page } = await shown(PeopleSheet, {})
    await flushPromises()
    const input = page.get<HTMLInputElement>('input[type=file]')
    Object.defineProperty(input.element, 'files', { value: [new File(['name,role'], 'people.csv')] })
    await input.trigger('change')
    await flushPromises()
    expect(page.text()).toContain('line 3, role: is none')
    expect(page.text()).not.toContain('abcd-efgh-ijkl')
    await pressed('Register them')
    expect(page.text()).toContain('abcd-efgh-ijkl')
    expect(sent.filter((s) => s.path.endsWith('people-list')).map((s) => s.params.query.take)).toEqual([false, true])
    await pressed('They are given: forget them')
    expect(page.text()).not.toContain('abcd-efgh-ijkl')
  })

  it('are read by a lead, and changed by nobody but an administrator', async () => {
    server(answers)
    const { page } = await shown(PeopleSheet, {})
    await flushPromises()
    expect(page.text()).toContain('An administrator registers people')
    expect(button('Change Idris Vail')).toBeUndefined()
    expect(page.find('input[type=file]').exists()).toBe(false)
  })
})
