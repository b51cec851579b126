import { useQuery } from '@tanstack/vue-query'
import { computed, ref, type Ref } from 'vue'
import { api, type Command, type Run } from '../api/client'
import { queries, useCached } from '../api/queries'
import * as outbox from './outbox'
import { ahead } from '../offline/ahead'
import { written } from '../offline/remember'
import { serverTime } from './useClock'
import { useSend } from './useSend'
import { useSession } from './useSession'
import { tone } from './useTone'

export type Order = Omit<Command, 'id' | 'expect' | 'given_at'>

/** newId is a client-made id: a retry with the same one does nothing twice. */
export function newId(): string {
  return crypto.randomUUID?.() ?? Array.from(crypto.getRandomValues(new Uint8Array(16)), (b) => b.toString(16)).join('')
}

/** inWords is what an order says, for where it waits. */
function inWords(order: Order, run: Run): string {
  const measure = run.measures?.find((m) => m.id === order.measure)
  const point = measure?.points.find((p) => p.id === order.point)
  const step = run.steps?.find((s) => s.id === order.step)?.title
  if (order.kind === 'start-stage') return `${order.typed} before ${measure?.title ?? ''} ${point?.label ?? ''}`.trim()
  if (order.kind === 'capture') return `${order.typed} for ${measure?.title ?? ''} ${point?.label ?? ''}`.trim()
  if (order.kind === 'note') return `note “${order.note}”`
  if (order.kind === 'bind')
    return `${order.standard} for ${run.roles?.find((r) => r.id === order.role)?.title ?? 'its place'}`
  const finding = run.findings?.find((f) => f.id === order.finding)?.title
  return [acts[order.kind] ?? order.kind, step ?? measure?.title ?? finding, point?.label].filter(Boolean).join(': ')
}

/** What an order does, in words. */
const acts: Partial<Record<Order['kind'], string>> = {
  answer: 'an answer',
  do: 'done',
  skip: 'left out',
  ambient: 'room conditions',
  plate: 'what is recorded of it',
  'start-wait': 'a timer started',
  'cut-wait': 'a timer cut short',
  moved: 'set by hand',
  'start-stage': 'a stage started',
  'stop-stage': 'the time stopped',
  'add-point': 'a point of your own',
  withdraw: 'a reading withdrawn',
  omit: 'left out',
  'check-set-up': 'the set-up looked at',
  'close-phase': 'closed',
  decide: 'a decision',
  'take-back': 'an adjustment taken back',
  'change-part': 'a part changed',
  adjust: 'an adjustment',
  'void-as-found': 'as found not valid',
  'open-loose-end': 'something left open',
  'close-loose-end': 'something closed',
  sign: 'the signature',
  review: 'countersigned',
  return: 'given back',
  revise: 'the certificate issued anew',
  abandon: 'given up',
  'work-under': 'whom you work under',
}

/**
 * useRun is a run and its commands. A command that does not reach the server is kept in the browser, and the page goes on
 * with it; it is sent once when the server answers. What the server refuses is in problem, with the order that caused it,
 * so that it can be confirmed. What is of its moment, a linked reading or a signature, is tried again for as long as the
 * page is open, and never later.
 */
export function useRun(id: Ref<string>) {
  const { refresh, keep } = useCached()
  const query = useQuery(queries.run(id))
  const { person } = useSession()
  const busy = ref(false)
  const { problem, waiting, send: sent, refuse, clear: forget } = useSend()
  const refused = ref<Order>()
  /** The browser keeps nothing: what waits is lost with the page. */
  const unkept = ref(false)
  /** This page's last order that was recorded: how far the run was with it, and when it was given. */
  const own = ref({ seq: 0, given: 0 })
  /** What was given here while nothing answered, and is not recorded yet. */
  const kept = computed(() =>
    outbox.entries.value.filter((e) => e.run === id.value && e.kept && !e.refused && e.by.id === person.value?.id),
  )
  const run = computed(() => query.data.value && ahead(query.data.value, kept.value))

  /** Sends one order at a time: until it is answered, nothing else goes. */
  async function send(order: Order): Promise<boolean> {
    if (!query.data.value || busy.value) return false
    busy.value = true
    try {
      return await carry(order)
    } finally {
      busy.value = false
    }
  }
  /** What waits here is sent before anything that cannot wait: false where it still does. */
  async function waited(): Promise<boolean> {
    if (kept.value.length && person.value) await outbox.flush(person.value, (r) => keep('run', r, r.id))
    if (!kept.value.length) return true
    refuse('What you gave before this is not recorded yet, and goes first. Try again when nothing waits any more.')
    return false
  }
  async function carry(order: Order): Promise<boolean> {
    const given = performance.now()
    refused.value = undefined
    const by = person.value
    // A frame is of its moment, and a signature is given by hand: neither is sent later by itself, and no secret is kept.
    const keeps = by && !order.frame && !order.secret
    if (!keeps && !(await waited())) return false
    const run = query.data.value!
    const at = new Date(serverTime()).toISOString()
    const after = kept.value.at(-1)?.body.id
    const body: Command = { ...order, id: newId(), expect: run.seq, after, given_at: at }
    if (keeps) {
      const { id, name } = by
      unkept.value = !(await outbox.put({
        run: run.id,
        tag: run.device.tag,
        what: inWords(order, run),
        body,
        by: { id, name },
        at,
      }))
    }
    const later = async () => {
      if (!(await outbox.keepForLater(body.id))) return false
      own.value = { seq: run.seq + kept.value.length, given }
      forget()
      return true
    }
    if (keeps && after && (await later())) return true // in the order in which it was given
    const params = { path: { id: run.id } }
    const call = () => api.POST('/api/runs/{id}/commands', { params, body })
    let next = await sent(call, keeps ? undefined : 'answered')
    if (keeps && problem.value?.status === 0) {
      if (await later()) return true
      next = await sent(call, 'answered')
    }
    if (next) {
      own.value = { seq: next.seq, given }
      keep('run', next, run.id)
      // It is let go of once the browser keeps what came of it; nobody waits for that.
      if (keeps) written().then(() => outbox.done(body.id))
      return true
    }
    if (keeps) await outbox.done(body.id)
    refused.value = order
    tone('refused')
    if (problem.value?.code === 'stale') await refresh('run')
    if (problem.value?.status === 401) await refresh('session')
    return false
  }

  function clear() {
    forget()
    refused.value = undefined
  }
  return { run, query, send, problem, refused, waiting, unkept, own, sending: busy, clear }
}

export type RunHandle = ReturnType<typeof useRun>
