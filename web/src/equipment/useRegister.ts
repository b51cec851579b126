import { computed, ref, watch, type WritableComputedRef } from 'vue'
import { watchDebounced } from '@vueuse/core'
import { useRoute, useRouter } from 'vue-router'
import type { RegisterFilter } from '../api/queries'

/** How a device can stand, and the words for what is due of it. */
export const states = [
  'not to be used',
  'out of use',
  'not yet accepted',
  'in doubt',
  'in use, not for every test',
  'away',
  'overdue',
  'due',
  'in use, waiting for review',
  'in use',
  'retired',
]
export const dues = [
  { id: 'overdue', words: 'overdue' },
  { id: 'week', words: 'by next week' },
  { id: 'month', words: 'within 30 days' },
  { id: 'quarter', words: 'within 91 days' },
  { id: 'none', words: 'no day planned' },
]

/** The columns of the register. Those that can be left out stand in the address, where they are. */
export const columns = [
  { id: 'tag', title: 'Tag', always: true },
  { id: 'device', title: 'Device', always: true },
  { id: 'family', title: 'Family' },
  { id: 'place', title: 'Place' },
  { id: 'serial', title: 'Serial' },
  { id: 'owner', title: 'Belongs to', hidden: true },
  { id: 'keeper', title: 'Looked after by', hidden: true },
  { id: 'risk', title: 'Risk' },
  { id: 'stands', title: 'Stands', unsorted: true },
  { id: 'due', title: 'Next' },
] as { id: string; title: string; always?: boolean; hidden?: boolean; unsorted?: boolean }[]

const texts = [
  'search',
  'family',
  'model',
  'site',
  'place',
  'owner',
  'keeper',
  'part',
  'risk',
  'state',
  'due',
  'sort',
] as const
export type Text = (typeof texts)[number]

/**
 * What the register is filtered and ordered by, and which columns it shows: all of it stands in the page's address, so that
 * a view can be kept, and handed on.
 */
export function useRegister() {
  const route = useRoute()
  const router = useRouter()
  const said = (name: string) => (typeof route.query[name] === 'string' ? route.query[name] : '')
  function set(change: Record<string, string | undefined>) {
    const query = { ...route.query, ...change }
    for (const [name, value] of Object.entries(query)) if (!value) delete query[name]
    router.replace({ query })
  }
  const fields = Object.fromEntries(
    texts.map((name) => [
      name,
      computed({
        get: () => said(name),
        set: (value: string) => set({ [name]: value, ...(name === 'site' && { place: '' }) }),
      }),
    ]),
  ) as unknown as Record<Text, WritableComputedRef<string>>

  // What is typed waits a moment; what the address says is in the field.
  const search = ref(said('search'))
  watchDebounced(search, (text) => set({ search: text }), { debounce: 150 })
  watch(
    () => said('search'),
    (text) => text !== search.value.trim() && (search.value = text),
  )

  const desc = computed(() => said('desc') === 'true')
  const filter = computed(
    () =>
      ({
        ...Object.fromEntries(texts.map((name) => [name, said(name)] as const).filter(([, value]) => value)),
        ...(said('risk') && { risk: Number(said('risk')) }),
        ...(desc.value && { desc: true }),
      }) as RegisterFilter,
  )
  const shown = computed(() => {
    const chosen = route.query.columns === undefined ? undefined : said('columns').split(' ')
    return columns.filter((c) => c.always || (chosen ? chosen.includes(c.id) : !c.hidden)).map((c) => c.id)
  })
  const show = (id: string, on: boolean) =>
    set({ columns: [...shown.value.filter((c) => c !== id), ...(on ? [id] : [])].join(' ') })
  function sort(by: string) {
    const now = said('sort') || 'tag'
    set({ sort: by, desc: now === by && !desc.value ? 'true' : '' })
  }
  const narrowed = computed(() => Object.keys(filter.value).some((name) => name !== 'sort' && name !== 'desc'))
  function clear() {
    search.value = ''
    router.replace({ query: {} })
  }
  /** The same devices, for a link to a file of them. */
  const address = computed(() =>
    new URLSearchParams(Object.entries(filter.value).map(([n, v]) => [n, String(v)])).toString(),
  )
  return { search, fields, filter, desc, shown, show, sort, narrowed, clear, address }
}
