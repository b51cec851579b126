import { mount } from '@vue/test-utils'
import { afterEach, describe, expect, it, vi } from 'vitest'
import HoldButton from '../components/HoldButton.vue'
import { sounds, tone, toneMarks } from '../composables/useTone'

afterEach(() => vi.useRealTimers())

describe('a button that is held', () => {
  const pointer = (kind: string) => ({ pointerType: kind })
  it('does nothing for a finger that only brushes it, and its thing once for one that stays', async () => {
    vi.useFakeTimers()
    const button = mount(HoldButton, { slots: { default: 'Take it out of use' } })
    await button.trigger('pointerdown', pointer('touch'))
    vi.advanceTimersByTime(300)
    await button.trigger('pointerup', pointer('touch'))
    await button.trigger('click')
    vi.advanceTimersByTime(2000)
    expect(button.emitted('press')).toBeUndefined()
    expect(button.text()).toContain('hold it')
    await button.trigger('pointerdown', pointer('touch'))
    vi.advanceTimersByTime(1000)
    await button.trigger('pointerup', pointer('touch'))
    await button.trigger('click')
    expect(button.emitted('press')).toHaveLength(1)
  })

  it('is pressed by a mouse and by a key as any other', async () => {
    const button = mount(HoldButton)
    await button.trigger('pointerdown', pointer('mouse'))
    await button.trigger('click')
    await button.trigger('click') // a key: no pointer came before
    expect(button.emitted('press')).toHaveLength(2)
  })
})

describe('what is told to the hand', () => {
  it('differs by what is said, and is silent where that was chosen', () => {
    const trembled: string[] = []
    Object.assign(navigator, { vibrate: (pulses: number[]) => (trembled.push(pulses.join()), true) })
    toneMarks.forEach(tone)
    expect(new Set(trembled).size).toBe(toneMarks.length)
    sounds.value = false
    tone('taken')
    expect(trembled).toHaveLength(toneMarks.length)
    sounds.value = true
  })
})
