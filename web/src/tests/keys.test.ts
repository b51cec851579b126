import { mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { defineComponent, h } from 'vue'
import { useKeys, useScanner, type Keys } from '../composables/useKeys'

const listening = (keys: Keys) =>
  mount(defineComponent({ setup: () => (useKeys(keys), () => h('div', [h('input'), h('textarea')])) }), {
    attachTo: document.body,
  })

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

  it('leaves typing alone, but lets Alt with a digit switch runs', () => {
    const note = vi.fn()
    const third = vi.fn()
    const page = listening({ n: note, '3': third })
    press('n', clock + 1000, page.find('textarea').element)
    press('3', clock + 2000, page.find('input').element)
    vi.runAllTimers()
    expect(note).not.toHaveBeenCalled()
    expect(third).not.toHaveBeenCalled()
    press('#', clock + 3000, page.find('input').element, { altKey: true, code: 'Digit3' })
    expect(third).toHaveBeenCalledTimes(1)
    page.unmount()
  })

  it('takes a fast burst that ends with Enter for a scanned tag', () => {
    const scanned = vi.fn()
    const note = vi.fn()
    useScanner(scanned)
    const page = listening({ n: note, m: note })
    ;[...'MB-0417'].forEach((key, i) => press(key, clock + 1000 + i * 8))
    press('Enter', clock + 1060)
    vi.runAllTimers()
    expect(scanned).toHaveBeenCalledWith('MB-0417')
    expect(note).not.toHaveBeenCalled()
    page.unmount()
  })
})
