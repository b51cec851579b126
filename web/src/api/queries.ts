import { infiniteQueryOptions, keepPreviousData, queryOptions, useQueryClient } from '@tanstack/vue-query'
import { toValue, type MaybeRefOrGetter } from 'vue'
import { answer, api } from './client'
import type { paths } from './schema.gen'
import { pay } from '../offline/owed'

type Of<T> = MaybeRefOrGetter<T>
type History = 'device' | 'reference' | 'person' | 'house' | 'instrument' | 'security'
/** What the register is filtered and ordered by. */
export type RegisterFilter = NonNullable<paths['/api/assets']['get']['parameters']['query']>
type Model = { maker: string; model: string; procedure: string }

/**
 * What the pages ask the server for, by resource. The first part of a key is the resource's name here,
 * so that whoever changes something names what is to be asked for again.
 */
export const queries = {
  session: () =>
    queryOptions({
      queryKey: ['session'],
      queryFn: async () => {
        await pay() // whoever locked the page or left it while nothing answered is not signed in again by that
        return answer(api.GET('/api/session'))
      },
      staleTime: 60_000,
    }),
  passkeys: () => queryOptions({ queryKey: ['passkeys'], queryFn: () => answer(api.GET('/api/session/passkeys')) }),
  sessions: () => queryOptions({ queryKey: ['sessions'], queryFn: () => answer(api.GET('/api/session/mine')) }),
  house: () => queryOptions({ queryKey: ['house'], queryFn: () => answer(api.GET('/api/house')) }),
  drafts: () => queryOptions({ queryKey: ['drafts'], queryFn: () => answer(api.GET('/api/drafts')) }),
  draft: (id: Of<string>) =>
    queryOptions({
      queryKey: ['draft', id],
      queryFn: () => answer(api.GET('/api/drafts/{id}', { params: { path: { id: toValue(id) } } })),
    }),
  /** Every kept revision of a procedure. */
  revisions: (id: Of<string>) =>
    queryOptions({
      queryKey: ['revisions', id],
      queryFn: () => answer(api.GET('/api/procedures/{id}/revisions', { params: { path: { id: toValue(id) } } })),
    }),
  procedureTemplates: () =>
    queryOptions({
      queryKey: ['procedureTemplates'],
      queryFn: () => answer(api.GET('/api/writing/templates')),
      staleTime: Infinity,
    }),
  procedureChoices: () =>
    queryOptions({ queryKey: ['procedureChoices'], queryFn: () => answer(api.GET('/api/writing/choices')) }),
  tokens: () => queryOptions({ queryKey: ['tokens'], queryFn: () => answer(api.GET('/api/tokens')) }),
  /** Who can countersign a run, as it stands at a step of its record. */
  reviewers: (id: Of<string>, seq: Of<number>) =>
    queryOptions({
      queryKey: ['reviewers', id, seq],
      queryFn: () => answer(api.GET('/api/runs/{id}/reviewers', { params: { path: { id: toValue(id) } } })),
    }),
  supervisors: (family: Of<string>) =>
    queryOptions({
      queryKey: ['supervisors', family],
      queryFn: () => answer(api.GET('/api/supervisors', { params: { query: { family: toValue(family) } } })),
    }),
  firstSteps: () =>
    queryOptions({ queryKey: ['firstSteps'], queryFn: () => answer(api.GET('/api/house/first-steps')) }),
  care: () => queryOptions({ queryKey: ['care'], queryFn: () => answer(api.GET('/api/house/care')) }),
  /** What somebody still has in hand. */
  holdings: (id: Of<string>) =>
    queryOptions({
      queryKey: ['holdings', id],
      queryFn: () => answer(api.GET('/api/house/people/{id}/holdings', { params: { path: { id: toValue(id) } } })),
    }),
  competences: () =>
    queryOptions({ queryKey: ['competences'], queryFn: () => answer(api.GET('/api/house/competences')) }),
  bench: () =>
    queryOptions({
      queryKey: ['bench'],
      queryFn: () => answer(api.GET('/api/bench')),
      refetchInterval: 15_000,
    }),
  clauses: () =>
    queryOptions({ queryKey: ['clauses'], queryFn: () => answer(api.GET('/api/clauses')), staleTime: Infinity }),
  today: (of: Of<{ site?: string; keeper?: string }> = {}) =>
    queryOptions({
      queryKey: ['today', of],
      queryFn: () => answer(api.GET('/api/today', { params: { query: toValue(of) } })),
      refetchInterval: 60_000,
      placeholderData: keepPreviousData,
    }),
  workload: () => queryOptions({ queryKey: ['workload'], queryFn: () => answer(api.GET('/api/workload')) }),
  round: (day: Of<string>) =>
    queryOptions({
      queryKey: ['round', day],
      queryFn: () => answer(api.GET('/api/rounds/{day}', { params: { path: { day: toValue(day) } } })),
    }),

  /** The register as it is filtered and ordered, a page after another. */
  assets: (filter: Of<RegisterFilter>) =>
    infiniteQueryOptions({
      queryKey: ['assets', filter],
      queryFn: ({ pageParam: from }) =>
        answer(api.GET('/api/assets', { params: { query: { ...toValue(filter), from } } })),
      initialPageParam: 0,
      getNextPageParam: (last) => last.next || undefined,
      placeholderData: keepPreviousData,
    }),
  /** What the register can be filtered by; the places are those of a site. */
  choices: (site: Of<string>) =>
    queryOptions({
      queryKey: ['choices', site],
      queryFn: () => answer(api.GET('/api/asset-choices', { params: { query: { site: toValue(site) } } })),
      placeholderData: keepPreviousData,
    }),
  /** The devices that a search finds; the last ones stay until the next are there. */
  search: (search: Of<string>) =>
    queryOptions({
      queryKey: ['search', search],
      queryFn: () => answer(api.GET('/api/assets', { params: { query: { search: toValue(search) } } })),
      enabled: () => toValue(search).trim().length > 0,
      placeholderData: keepPreviousData,
    }),
  asset: (id: Of<string>) =>
    queryOptions({
      queryKey: ['asset', id],
      queryFn: () => answer(api.GET('/api/assets/{id}', { params: { path: { id: toValue(id) } } })),
    }),
  worth: (id: Of<string>) =>
    queryOptions({
      queryKey: ['worth', id],
      queryFn: () => answer(api.GET('/api/assets/{id}/worth', { params: { path: { id: toValue(id) } } })),
      enabled: () => !!toValue(id),
    }),
  history: (of: Of<History>, id: Of<string>, open: Of<boolean>) =>
    queryOptions({
      queryKey: ['history', of, id],
      queryFn: () => {
        const path = { of: toValue(of), id: toValue(id) }
        return answer(api.GET('/api/history/{of}/{id}', { params: { path } }))
      },
      enabled: () => toValue(open),
    }),

  standards: () => queryOptions({ queryKey: ['standards'], queryFn: () => answer(api.GET('/api/standards')) }),
  reference: (id: Of<string>) =>
    queryOptions({
      queryKey: ['reference', id],
      queryFn: () => answer(api.GET('/api/standards/{id}', { params: { path: { id: toValue(id) } } })),
    }),
  instruments: () =>
    queryOptions({
      queryKey: ['instruments'],
      queryFn: () => answer(api.GET('/api/instruments')),
      refetchInterval: 2000,
    }),
  /** One instrument as it is now: it is asked for again and again while its page is open. */
  instrument: (id: Of<string>) =>
    queryOptions({
      queryKey: ['instrument', id],
      queryFn: () => answer(api.GET('/api/instruments/{id}', { params: { path: { id: toValue(id) } } })),
      refetchInterval: 500,
    }),
  profiles: () =>
    queryOptions({
      queryKey: ['profiles'],
      queryFn: () => answer(api.GET('/api/instrument-profiles')),
      staleTime: Infinity,
    }),
  ports: (wanted: Of<boolean>) =>
    queryOptions({
      queryKey: ['ports'],
      queryFn: () => answer(api.GET('/api/serial-ports')),
      enabled: () => toValue(wanted),
      refetchInterval: 3000,
    }),
  candidates: (run: string, role: string) =>
    queryOptions({
      queryKey: ['candidates', run, role],
      queryFn: () => answer(api.GET('/api/runs/{id}/roles/{role}', { params: { path: { id: run, role } } })),
    }),

  /** What the device showed when it was verified last by the same procedure. */
  before: (run: Of<string>) =>
    queryOptions({
      queryKey: ['before', run],
      queryFn: () => answer(api.GET('/api/runs/{id}/before', { params: { path: { id: toValue(run) } } })),
    }),
  trace: (run: Of<string>, reading: Of<string>) =>
    queryOptions({
      queryKey: ['trace', run, reading],
      queryFn: () =>
        answer(
          api.GET('/api/runs/{id}/readings/{reading}/trace', {
            params: { path: { id: toValue(run), reading: toValue(reading) } },
          }),
        ),
    }),
  files: (of: 'device' | 'reference', id: string) =>
    queryOptions({
      queryKey: ['files', of, id],
      queryFn: () => answer(api.GET('/api/files', { params: { query: { of, id } } })),
    }),
  fileRoom: () => queryOptions({ queryKey: ['fileRoom'], queryFn: () => answer(api.GET('/api/house/files')) }),
  room: (run: string) =>
    queryOptions({
      queryKey: ['room', run],
      queryFn: () => answer(api.GET('/api/runs/{id}/room', { params: { path: { id: run } } })),
    }),

  run: (id: Of<string | undefined>) =>
    queryOptions({
      queryKey: ['run', id],
      queryFn: () => answer(api.GET('/api/runs/{id}', { params: { path: { id: toValue(id)! } } })),
      enabled: () => !!toValue(id),
    }),
  standIn: (id: Of<string>, simulated: Of<boolean>) =>
    queryOptions({
      queryKey: ['standIn', id],
      queryFn: () => answer(api.GET('/api/stand-ins/{id}', { params: { path: { id: toValue(id) } } })),
      enabled: () => toValue(simulated),
      staleTime: Infinity,
    }),

  controls: () => queryOptions({ queryKey: ['controls'], queryFn: () => answer(api.GET('/api/controls')) }),
  controlChart: (of: Of<{ asset: string; analyte: string } | undefined>, days: Of<number>) =>
    queryOptions({
      queryKey: ['controlChart', of, days],
      queryFn: () => {
        const { asset, analyte } = toValue(of)!
        const params = { path: { asset }, query: { analyte, days: toValue(days) } }
        return answer(api.GET('/api/controls/{asset}', { params }))
      },
      enabled: () => !!toValue(of),
    }),

  safetyNotices: () => queryOptions({ queryKey: ['safetyNotices'], queryFn: () => answer(api.GET('/api/safety')) }),
  safetyNotice: (id: Of<string | undefined>) =>
    queryOptions({
      queryKey: ['safetyNotice', id],
      queryFn: () => answer(api.GET('/api/safety/{id}', { params: { path: { id: toValue(id)! } } })),
      enabled: () => !!toValue(id),
    }),
  telling: () => queryOptions({ queryKey: ['telling'], queryFn: () => answer(api.GET('/api/telling')) }),

  lookBacks: (closed: Of<boolean>) =>
    queryOptions({
      queryKey: ['lookBacks', closed],
      queryFn: () => answer(api.GET('/api/look-backs', { params: { query: { closed: toValue(closed) } } })),
    }),
  lookBack: (id: Of<string | undefined>) =>
    queryOptions({
      queryKey: ['lookBack', id],
      queryFn: () => answer(api.GET('/api/look-backs/{id}', { params: { path: { id: toValue(id)! } } })),
      enabled: () => !!toValue(id),
    }),

  intervals: () => queryOptions({ queryKey: ['intervals'], queryFn: () => answer(api.GET('/api/intervals')) }),
  /** What is recommended for a model, or for one device's activity. */
  interval: (model: Of<Model | undefined>, activity: Of<string | undefined>) =>
    queryOptions({
      queryKey: ['interval', model, activity],
      queryFn: () => {
        const id = toValue(activity)
        return id
          ? answer(api.GET('/api/activities/{id}/interval', { params: { path: { id } } }))
          : answer(api.GET('/api/intervals/model', { params: { query: toValue(model)! } }))
      },
      enabled: () => !!toValue(model) || !!toValue(activity),
    }),
  report: (span: Of<{ from: string; until: string }>) =>
    queryOptions({
      queryKey: ['report', span],
      queryFn: () => answer(api.GET('/api/report', { params: { query: toValue(span) } })),
      placeholderData: keepPreviousData,
      retry: false,
    }),
}

export type Resource = keyof typeof queries

/** useCached has resources asked for again, or keeps one as the server has just answered it. */
export function useCached() {
  const cache = useQueryClient()
  const refresh = (...names: Resource[]) =>
    Promise.all(names.map((name) => cache.invalidateQueries({ queryKey: [name] })))
  const refreshAll = () => cache.invalidateQueries()
  /** An answer that was asked for before, and is still on its way, is older than this one: it is not waited for. */
  const keep = (name: Resource, value: unknown, ...id: string[]) => {
    void cache.cancelQueries({ queryKey: [name, ...id] })
    cache.setQueryData([name, ...id], value)
  }
  return { refresh, refreshAll, keep }
}
