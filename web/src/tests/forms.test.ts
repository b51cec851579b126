import { flushPromises, mount } from '@vue/test-utils'
import { defineComponent, h } from 'vue'
import { describe, expect, it, vi } from 'vitest'
import FormOutcome from '../components/FormOutcome.vue'
import type { Problem } from '../api/client'
import { useSend } from '../composables/useSend'

const refused = (field: string, detail: string): Problem => ({
  status: 422,
  title: 'Not recorded',
  detail,
  code: 'x',
  field,
})

/** A form with some fields, and what it says of a refusal. */
const Form = defineComponent({
  props: { problem: { type: Object as () => Problem | undefined, default: undefined } },
  setup(props) {
    const field = (name: string, label: string) =>
      h('label', [h('span', { class: 'label' }, label), h('input', { name })])
    return () =>
      h('form', [
        field('tag', 'Tag on its label'),
        field('due_on', 'Counts until'),
        field('values[0].quantity', 'Quantity'),
        field('values[0].unit', 'Unit'),
        h(FormOutcome, { problem: props.problem }),
      ])
  },
})

describe('what a form was refused for', () => {
  it.each([
    ['tag', '“tag” is missing.', 'tag', '“Tag on its label” is missing.'],
    ['certificate.due_on', '“certificate.due_on” is no day.', 'due_on', '“Counts until” is no day.'],
    ['values[0].unit', 'vol is not a unit.', 'values[0].unit', 'vol is not a unit.'],
    ['values[0]', 'CO2 states no uncertainty.', 'values[0].quantity', 'CO2 states no uncertainty.'],
  ])('%s is marked, and told by its label', async (field, detail, name, words) => {
    const form = mount(Form, { attachTo: document.body })
    await form.setProps({ problem: refused(field, detail) })
    await flushPromises()
    const marked = form.findAll('[aria-invalid="true"]')
    expect(marked.map((m) => m.attributes('name'))).toEqual([name])
    expect(document.activeElement).toBe(marked[0]!.element)
    expect(form.find('[role=alert]').text()).toBe(words)
    await form.setProps({ problem: refused('lot', 'Scan the label.') })
    await flushPromises()
    expect(form.findAll('[aria-invalid]')).toHaveLength(0)
    expect(form.find('[role=alert]').text()).toBe('Scan the label.')
    form.unmount()
  })
})

const answered = <T>(data: T) => Promise.resolve({ data, response: new Response('{}') })
const refusal = (error: Problem) => Promise.resolve({ error, response: new Response('', { status: error.status }) })

describe('what is sent', () => {
  it('keeps what was refused, and forgets it with the next try', async () => {
    const { problem, trouble, sending, send, refuse } = useSend()
    const no = refused('tag', 'It stands in the register already.')
    const under = send(() => refusal(no))
    expect(sending.value).toBe(true)
    expect(await under).toBeUndefined()
    expect(problem.value).toEqual(no)
    expect(trouble.value).toBe('It stands in the register already.')
    expect(await send(() => answered('entered'))).toBe('entered')
    expect(problem.value).toBeUndefined()
    expect(sending.value).toBe(false)
    refuse('Say what was done.')
    expect(trouble.value).toBe('Say what was done.')
  })

  it('is sent again until it is answered only where that was asked for', async () => {
    vi.useFakeTimers()
    const { problem, waiting, send } = useSend()
    let times = 0
    const away = () => (++times < 3 ? Promise.reject(new TypeError('no network')) : answered('taken'))
    expect(await send(away)).toBeUndefined()
    expect(problem.value?.code).toBe('offline')
    expect(problem.value?.detail).toContain('send it again')
    expect(problem.value?.detail).not.toContain('tried again')
    const taken = send(away, 'answered')
    await vi.advanceTimersByTimeAsync(100)
    expect(waiting.value).toBe(true)
    await vi.advanceTimersByTimeAsync(2000)
    expect(await taken).toBe('taken')
    expect(times).toBe(3)
    expect(waiting.value).toBe(false)
    vi.useRealTimers()
  })

  it('hides no fault that is not a refusal', async () => {
    const { send } = useSend()
    const wrong = () => {
      throw new TypeError('the page is wrong')
    }
    await expect(send(wrong)).rejects.toThrow('the page is wrong')
  })
})
