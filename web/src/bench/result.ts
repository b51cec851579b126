import type { Run } from '../api/client'

type Result = Run['result']

/** The result of a run as it is signed. */
export const resultWords: Record<Result, string> = {
  conforms: 'Conforms',
  'conforms, after a cause outside the device was removed': 'Conforms, after a cause outside the device was removed',
  'conforms after adjustment': 'Conforms after adjustment',
  'done; nothing was measured': 'Done. Nothing was measured: no statement of conformity',
  'does not conform': 'Does not conform: it leaves use',
  'not complete': 'Not complete: no statement of conformity',
}

/** Why it is so, as a sentence. */
export const whySo = (run: Pick<Run, 'result_why'>) => `${run.result_why[0]?.toUpperCase()}${run.result_why.slice(1)}.`

/** The colour a result is written in: what is not complete is neither good nor bad. */
export function resultTone(result?: string): string {
  if (result?.startsWith('conforms') || result?.startsWith('done')) return 'text-petrol'
  return result === 'not complete' ? 'text-brass' : 'text-vermilion'
}
