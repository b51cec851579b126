import { enableAutoUnmount, flushPromises, mount, type VueWrapper } from '@vue/test-utils'
import { QueryClient, VueQueryPlugin } from '@tanstack/vue-query'
import { createMemoryHistory, createRouter, type Router } from 'vue-router'
import { afterEach, vi } from 'vitest'
import { defineComponent, h, ref, type Component } from 'vue'
import { api, type Problem } from '../api/client'
import { provideRun } from '../bench/runHandle'
import type { RunHandle } from '../composables/useRun'
import description from '../../../docs/openapi.json'

/** Who is signed in, where a test puts it in the place of the session: a lead, until it says otherwise. */
const lead = { id: 'tamsin', name: 'Tamsin Orrery', role: 'lead' }
export const person = ref({ ...lead })
/** What else the page knows of them: a password, and neither PIN nor passkey. */
export const session = ref({ by: 'password', pin: false, passkey: false })
/** What that person may do, by the server's own table. */
export const can = (action: string) =>
  !!description['x-permissions'].find((p) => p.action === action)?.roles.includes(person.value.role)

// What a test has put on the page is gone for the next.
enableAutoUnmount(afterEach)
afterEach(() => {
  vi.restoreAllMocks()
  document.body.innerHTML = ''
  localStorage.clear()
  person.value = { ...lead }
})

/** What was sent to the server. */
export interface Sent {
  method: 'GET' | 'POST' | 'PUT'
  path: string
  params: { path: Record<string, string>; query: Record<string, unknown> }
  body: Record<string, unknown>
}

/** server answers in the place of the real one: by path, and keeps what it was asked. */
export function server(answers: Record<string, (s: Sent) => unknown>) {
  const sent: Sent[] = []
  for (const method of ['GET', 'POST', 'PUT'] as const)
    vi.spyOn(api, method).mockImplementation((async (path: string, init?: Partial<Sent>) => {
      const s = JSON.parse(
        JSON.stringify({ method, path, body: init?.body, params: { path: {}, query: {}, ...init?.params } }),
      ) as Sent
      sent.push(s)
      if (!answers[path]) throw new Error(`nothing answers ${method} ${path}`)
      const value = answers[path](s)
      return value instanceof Refused
        ? { error: value.problem, response: new Response('', { status: value.problem.status }) }
        : { data: value, response: new Response('{}') }
    }) as never)
  return sent
}

class Refused {
  constructor(readonly problem: { title: string; status: number; detail: string; code: string; field?: string }) {}
}
export const refuse = (detail: string, field?: string) =>
  new Refused({ title: 'Not recorded', status: 422, detail, code: 'invalid', field })

/** shown puts a part of the interface on a page, with everything it finds around it in the product. */
export async function shown(
  part: Parameters<typeof mount>[0],
  props: Record<string, unknown> = {},
  stubs: Record<string, boolean> = {},
): Promise<{ page: VueWrapper; router: Router }> {
  const router = createRouter({
    history: createMemoryHistory(),
    routes: [
      'today',
      'device',
      'reference',
      'look-back',
      'intervals',
      'run',
      'house',
      'safety',
      'guide',
      'procedure',
      'draft',
    ].map((name) => ({
      path: `/${name}/:${name === 'house' ? 'sheet' : 'id'}?`,
      name,
      component: { template: '<p />' },
    })),
  })
  await router.push('/today')
  const page = mount(part, {
    props,
    attachTo: document.body,
    global: {
      stubs,
      plugins: [
        router,
        [VueQueryPlugin, { queryClient: new QueryClient({ defaultOptions: { queries: { retry: false } } }) }],
      ],
    },
  })
  await flushPromises()
  return { page, router }
}

type Partly<T> = T extends (infer E)[] ? Partly<E>[] : T extends object ? { [K in keyof T]?: Partly<T[K]> } : T

/** partly is something the server answers, with what a test is about: what is named is as described. */
export const partly = <T>(part: Partly<T>) => part as T

/** dialog is what lies over the page. */
export const dialog = () => document.querySelector<HTMLElement>('[role=dialog]')!

/** type fills in a field of the dialog. */
export function type(name: string, text: string) {
  const field = dialog().querySelector<HTMLInputElement>(`[name="${name}"]`)
  if (!field) throw new Error(`the dialog has no field ${name}`)
  field.value = text
  field.dispatchEvent(new Event(field.tagName === 'SELECT' ? 'change' : 'input'))
  if (field.tagName === 'INPUT') field.dispatchEvent(new Event('change'))
}

/** submit sends the dialog's form and waits for what comes of it. */
export async function submit() {
  dialog().querySelector('form')!.dispatchEvent(new Event('submit'))
  await flushPromises()
}

/** say types what a dialog asks for, and gives it. */
export async function say(words: string) {
  const field = dialog().querySelector('textarea')!
  field.value = words
  field.dispatchEvent(new Event('input'))
  await submit()
}

/** onBench is a part of the bench, with a run handle that only remembers what it was told. */
export async function onBench(part: Component, props: object) {
  const send = vi.fn().mockResolvedValue(true)
  const problem = ref<Problem>()
  const handle = {
    send,
    sending: ref(false),
    problem,
    refused: ref(undefined),
    own: ref({ seq: 0, given: 0 }),
    clear: () => (problem.value = undefined),
  } as unknown as RunHandle
  const { page } = await shown(
    defineComponent({
      setup: () => {
        provideRun(handle)
        return () => h(part, props)
      },
    }),
    {},
    { LiveTrace: true, SkipStep: true },
  )
  return { page, send, problem }
}
