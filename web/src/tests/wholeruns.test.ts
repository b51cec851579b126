import { describe, expect, it } from 'vitest'
import FindingPoints from '../bench/FindingPoints.vue'
import PointLedger from '../bench/PointLedger.vue'
import { onBench } from './page'
import type { Run } from '../api/client'

/** What the bench shows of whole runs is what an independent program computed of the same readings. */
const files = import.meta.glob('../../../testdata/whole-runs/*.{view,expect}.json', { eager: true, import: 'default' })
const read = <T>(name: string): T => files[`../../../testdata/whole-runs/${name}`] as T
interface Expected {
  points: { measure: string; point: string; zone: string; row: { shown: string; u: string } }[]
}
const zones: Record<string, string> = {
  inside: 'Inside.',
  outside: 'Outside.',
  outside_doubtful: 'Outside, but within U of the limit.',
}

describe.each(['capnograph', 'scale', 'pump'])('the run of a %s on the bench', (name) => {
  const run = read<Run>(`${name}.view.json`)
  const expected = read<Expected>(`${name}.expect.json`)
  const labelOf = (measure: string, point: string) => {
    const m = run.measures.find((x) => x.id === measure)!
    return `${m.title} ${m.points.find((p) => p.id === point)!.label}`
  }

  it('shows each point in the ledger as it was computed', async () => {
    const { page } = await onBench(PointLedger, { run, step: run.steps[0] })
    for (const p of expected.points) {
      const label = labelOf(p.measure, p.point)
      const row = page.findAll('tbody tr').find((r) => r.find(`[aria-label="${label}: readings and budget"]`).exists())
      expect(row!.findAll('td')[1]!.text(), label).toBe(p.row.shown)
    }
  })

  it('says of each point what was computed', async () => {
    const said: Record<string, string> = {}
    for (const finding of run.findings) {
      const { page } = await onBench(FindingPoints, { run, finding })
      for (const line of page.findAll('li')) said[line.get('.font-semibold').text()] = line.text()
    }
    for (const p of expected.points) {
      const text = said[labelOf(p.measure, p.point)]
      expect(text).toContain(zones[p.zone])
      expect(text).toMatch(new RegExp(`U ${p.row.u.replace('.', '\\.')}( |\\.)`))
    }
  })
})
