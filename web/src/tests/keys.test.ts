import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import { stepped, useKeys, type Keys } from '../composables/useKeys'
import { learn, scannedName, useScanner } from '../composables/useScanner'

const listening = (keys: Keys) =>
  mount(
    defineComponent({
      setup: () => (
        useKeys(keys),
        () => h('div', [h('span', { 'data-keys': '' }, h('input', { 'data-first': '' })), h('textarea')])
      ),
    }),
    {
      attachTo: document.body,
    },
  )

function press(key: string, at: number, target: EventTarget = document.body, more: KeyboardEventInit = {}) {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  Object.defineProperty(event, 'timeStamp', { value: at })
  target.dispatchEvent(event)
}

describe('keys at the bench', () => {
  let clock = 0
  beforeEach(() => vi.useFakeTimers())
  afterEach(() => {
    vi.useRealTimers()
    document.body.innerHTML = ''
    clock += 10_000
  })

  it('does what the latest component says', () => {
    const below = vi.fn()
    const above = vi.fn()
    const first = listening({ n: below, Enter: below })
    const second = listening({ n: above })
    press('n', clock + 1000)
    vi.runAllTimers()
    press('Enter', clock + 3000)
    expect(above).toHaveBeenCalledTimes(1)
    expect(below).toHaveBeenCalledTimes(1)
    second.unmount()
    press('n', clock + 5000)
    vi.runAllTimers()
    expect(below).toHaveBeenCalledTimes(2)
    first.unmount()
    press('n', clock + 7000)
    vi.runAllTimers()
    expect(below).toHaveBeenCalledTimes(2)
  })

  it('leaves typing alone, and a bare digit is a reading and never a shortcut', () => {
    const note = vi.fn()
    const third = vi.fn()
    const page = listening({ n: note, '3': third, 'Alt 3': third })
    press('n', clock + 1000, page.find('textarea').element)
    press('3', clock + 2000, page.find('input').element)
    press('3', clock + 3000)
    vi.runAllTimers()
    expect(note).not.toHaveBeenCalled()
    expect(third).not.toHaveBeenCalled()
    expect(document.activeElement, 'it goes into the field of the step').toBe(page.find('input').element)
    press('#', clock + 4000, page.find('input').element, { altKey: true, code: 'Digit3' })
    expect(third).toHaveBeenCalledTimes(1)
    page.unmount()
  })

  it('does nothing with a held key, nor with an Enter that was meant for the step before', () => {
    const take = vi.fn()
    const field = vi.fn()
    const page = listening({ Enter: take })
    page.find('input').element.addEventListener('keydown', field)
    press('Enter', clock + 1000, document.body, { repeat: true })
    press('Enter', clock + 1000, page.find('input').element, { repeat: true })
    vi.spyOn(performance, 'now').mockReturnValue(clock + 2000)
    stepped()
    press('Enter', clock + 2400, page.find('input').element)
    expect(take).not.toHaveBeenCalled()
    expect(field, 'a field is not told either').not.toHaveBeenCalled()
    press('Enter', clock + 2600, page.find('input').element)
    expect(take).toHaveBeenCalledTimes(1)
    vi.restoreAllMocks()
    page.unmount()
  })
})

describe('a scanner', () => {
  let clock = 500_000
  const scanned = vi.fn()
  beforeEach(() => {
    vi.useFakeTimers()
    scanned.mockClear()
    useScanner(scanned)
    learn({ gap: 35, suffix: 'Enter' })
  })
  afterEach(() => {
    vi.useRealTimers()
    document.body.innerHTML = ''
    clock += 10_000
  })
  /** Types as a scanner does: Shift before each capital, and the text of the field it types into grows. */
  function scan(text: string, target: HTMLElement, gap = 8, suffix = 'Enter') {
    let at = clock
    for (const key of text) {
      if (/[A-Z]/.test(key)) press('Shift', (at += gap / 2), target)
      press(key, (at += gap), target, { shiftKey: /[A-Z]/.test(key) })
      if (target instanceof HTMLInputElement) {
        target.value += key
        target.dispatchEvent(new Event('input', { bubbles: true }))
      }
    }
    if (suffix) press(suffix, at + gap, target)
    vi.runAllTimers()
  }

  it('types a tag with Shift anywhere, and no letter of it does anything', () => {
    const note = vi.fn()
    const take = vi.fn()
    const page = listening({ n: note, m: note, Enter: take })
    scan('MB-0417', document.body)
    expect(scanned).toHaveBeenCalledExactlyOnceWith('MB-0417')
    expect(note).not.toHaveBeenCalled()
    expect(take).not.toHaveBeenCalled()
    page.unmount()
  })

  it('is told from typing inside a field: a scanned serial is never a reading', () => {
    const take = vi.fn()
    const page = listening({ Enter: take })
    const field = page.find('input').element
    field.value = '5,0'
    scan('20260417', field)
    expect(scanned).toHaveBeenCalledExactlyOnceWith('20260417')
    expect(field.value, 'what was typed before stays').toBe('5,0')
    expect(take).not.toHaveBeenCalled()
    field.value = ''
    scan('5021', field, 90) // by hand
    expect(scanned).toHaveBeenCalledTimes(1)
    expect(field.value).toBe('5021')
    expect(take).toHaveBeenCalledTimes(1)
    page.unmount()
  })

  it('ends as it was learnt: with Tab, or with nothing', () => {
    const page = listening({})
    learn({ gap: 60, suffix: 'Tab' })
    scan('MB-0417', document.body, 50, 'Tab')
    expect(scanned).toHaveBeenCalledTimes(1)
    clock += 1000
    learn({ gap: 35, suffix: '' })
    scan('MB-0417', document.body, 8, '')
    expect(scanned).toHaveBeenCalledTimes(2)
    page.unmount()
  })

  it('keeps a label in the field that asks for one', () => {
    const page = listening({})
    const field = page.find('input').element
    field.setAttribute('data-scan', '')
    scan('(01)04012345678901', field)
    expect(scanned).not.toHaveBeenCalled()
    expect(field.value).toBe('(01)04012345678901')
    page.unmount()
  })

  it('understands the label’s own link, and Caps', () => {
    expect(scannedName('http://needle.local:8360/equipment/MB-0417')).toBe('MB-0417')
    expect(scannedName('HTTP://NEEDLE.LOCAL/EQUIPMENT/MB-0417')).toBe('MB-0417')
    expect(scannedName(' mb-0417 ')).toBe('MB-0417')
    expect(scannedName('O246029')).toBe('O246029')
  })
})
