import { mount } from '@vue/test-utils'
import { describe, expect, it } from 'vitest'
import FingerPrint from '../components/FingerPrint.vue'
import NeedleMark from '../components/NeedleMark.vue'
import ZoneMark from '../components/ZoneMark.vue'

/** The x of a needle's tip, from the pivot to the right. */
function tip(path: string | undefined, width: number) {
  const at = / L(-?[\d.]+),(-?[\d.]+)/.exec(path ?? '')
  return Number(at?.[1]) - width / 2
}
const needle = (lean: number, zone = 'inside' as const) => ({ error_to_limit: lean, u_to_limit: 0.1, zone })

describe('the needle', () => {
  it('stands upright for no error and leans to the side of the error', () => {
    const lean = (value: number) => {
      const mark = mount(NeedleMark, { props: { left: needle(value), width: 100 } })
      const drawn = mark.findAll('path').filter((p) => p.attributes('stroke-linecap'))
      return tip(drawn[0]?.attributes('d'), 100)
    }
    expect(lean(0)).toBeCloseTo(0)
    expect(lean(0.5)).toBeGreaterThan(5)
    expect(lean(-0.5)).toBeCloseTo(-lean(0.5))
    expect(lean(1)).toBeGreaterThan(lean(0.5))
    expect(lean(50)).toBeLessThan(100)
  })

  it('is hollow as found and solid as left', () => {
    const strokes = (props: object) =>
      mount(NeedleMark, { props })
        .findAll('path[stroke-linecap]')
        .map((p) => p.attributes('stroke'))
    expect(strokes({ found: needle(0.2) })).toEqual(['var(--petrol)', 'var(--sheet)'])
    expect(strokes({ left: needle(0.2) })).toEqual(['var(--petrol)'])
  })

  it('says its error in words', () => {
    expect(mount(NeedleMark, { props: { found: needle(-0.42) } }).attributes('aria-label')).toContain('-42 %')
    expect(mount(NeedleMark).attributes('aria-label')).toBe('not measured')
  })
})

describe('the zones', () => {
  it('differ by shape, not only by colour', () => {
    const shapes = [undefined, 'inside', 'inside_doubtful', 'outside_doubtful', 'outside'].map((zone) =>
      mount(ZoneMark, { props: { zone: zone as 'inside' | undefined } })
        .html()
        .replace(/var\(--[\w-]+\)/g, 'ink')
        .replace(/aria-label="[^"]*"/, ''),
    )
    expect(new Set(shapes).size).toBe(5)
  })
})

describe('the fingerprint', () => {
  it('lays as found and as left of a point over one another', () => {
    const point = (label: string, phase: string) => ({
      label,
      phase,
      zone: 'inside' as const,
      error_to_limit: 0.1,
      u_to_limit: 0.1,
    })
    const print = mount(FingerPrint, {
      props: { needles: [point('5 %', 'as found'), point('10 %', 'as found'), point('5 %', 'as left')] },
    })
    expect(print.findAll('svg')).toHaveLength(2)
    expect(print.findAll('svg')[0]!.findAll('path[stroke-linecap]')).toHaveLength(3)
  })
})
