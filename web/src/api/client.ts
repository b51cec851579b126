import createClient from 'openapi-fetch'
import type { components, paths } from './schema.gen'

type Schemas = components['schemas']
export type Problem = Schemas['Problem']
export type Run = Schemas['View']
export type Step = Schemas['StepView']
export type Measure = Schemas['MeasureView']
export type Point = Schemas['PointView']
export type Verdict = Schemas['VerdictView']
export type Finding = Schemas['FindingView']
export type Command = Schemas['CommandBody']
export type RunBrief = Schemas['RunBrief']
export type BenchState = Schemas['BenchState']
export type LiveFrame = Schemas['LiveFrame']
export type Asset = Schemas['AssetBrief']
export type Person = Schemas['PersonView']
export type Reference = Schemas['ReferenceView']
export type Certified = Schemas['Certified']
export type Budget = Schemas['Budget']
export type ErrorComponents = Schemas['ErrorComponents']
export type ControlChart = Schemas['ControlChart']
export type Zone = Verdict['zone']

/** How long a request may take, in milliseconds: one with a file, a command of a run, and any other. */
const limits = { file: 600_000, command: 8_000, other: 30_000 }

function limitOf(request: Request) {
  const sort = request.headers.get('Content-Type') ?? ''
  if (request.body && !sort.startsWith('application/json')) return limits.file
  return request.url.endsWith('/commands') ? limits.command : limits.other
}

export const api = createClient<paths>({
  baseUrl: '/',
  fetch: (request: Request) =>
    fetch(request, { signal: AbortSignal.any([request.signal, AbortSignal.timeout(limitOf(request))]) }),
})

/** ApiError is a problem the server answered, or that it could not be reached (status 0). */
export class ApiError extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail)
  }
  get offline() {
    return this.problem.status === 0
  }
}

const unreachable: Problem = {
  title: 'No connection',
  status: 0,
  detail: 'The server does not answer. Nothing that was confirmed is lost; this is tried again.',
  code: 'offline',
}

/** answer unwraps a call, and throws an ApiError for anything but success. */
export async function answer<T>(call: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let result
  try {
    result = await call
  } catch (error) {
    throw error instanceof ApiError ? error : new ApiError(unreachable)
  }
  if (result.error !== undefined || !result.response.ok) {
    const problem = result.error as Problem | undefined
    const title = result.response.statusText || 'Not done'
    throw new ApiError(
      problem?.detail ? problem : { title, status: result.response.status, detail: 'The server could not do this.' },
    )
  }
  return result.data as T
}
