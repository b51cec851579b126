<script setup lang="ts">
import { computed, ref } from 'vue'
import { useQueries, useQueryClient } from '@tanstack/vue-query'
import AskDialog from '../components/AskDialog.vue'
import ThumbBar from './ThumbBar.vue'
import StepHead from './StepHead.vue'
import { type Run, type Step } from '../api/client'
import { useKeys } from '../composables/useKeys'
import { useSession } from '../composables/useSession'
import { dayWords } from '../composables/words'
import { useRunHandle } from './runHandle'
import { queries } from '../api/queries'

/** Fills the roles with real standards; each is checked, and the first that fits is proposed. */
const props = defineProps<{ run: Run; step: Step }>()
const { send, sending } = useRunHandle()
const { can } = useSession()
const overriding = ref<{ role: string; tag: string }>()
const candidates = useQueries({
  queries: computed(() => props.run.roles.map((r) => queries.candidates(props.run.id, r.id))),
})
const offers = computed(() =>
  props.run.roles.map((role, i) => ({
    role,
    list: candidates.value[i]?.data ?? [],
    known: !!candidates.value[i]?.data,
  })),
)
const fitting = (list: (typeof offers.value)[number]['list']) => list.filter((c) => !c.fitness.blocks?.length)
const unfit = (list: (typeof offers.value)[number]['list']) => list.filter((c) => c.fitness.blocks?.length)
/** Whether a role can be filled, as far as is known by now. */
const fillable = computed(() =>
  offers.value.some((o) => !o.role.standard && !o.role.optional && (!o.known || fitting(o.list).length)),
)

/** A reference that readings were taken with is exchanged from here on, with a reason; what was read keeps it. */
const exchanging = ref<{ role: string; title: string; from: string; tag: string }>()
async function bind(role: string, tag: string, reason?: string) {
  const filled = props.run.roles.find((r) => r.id === role)
  if (filled?.used && filled.standard && filled.standard.tag !== tag) {
    exchanging.value = { role, title: filled.title, from: filled.standard.tag, tag }
    return false
  }
  return send({ kind: 'bind', role, standard: tag, reason })
}
function exchange(reason: string) {
  const o = exchanging.value
  exchanging.value = undefined
  if (o) send({ kind: 'bind', role: o.role, standard: o.tag, reason, exchange: true })
}
const cache = useQueryClient()
const filling = ref(false)
/** Takes the first that fits for each role; it waits for what the server has not offered yet. */
async function bindAll() {
  if (filling.value || !fillable.value) return
  filling.value = true
  try {
    for (const role of props.run.roles.filter((r) => !r.standard && !r.optional)) {
      const list = await cache.ensureQueryData(queries.candidates(props.run.id, role.id)).catch(() => [])
      const first = fitting(list)[0]
      if (first && !(await bind(role.id, first.standard.tag))) return
    }
  } finally {
    filling.value = false
  }
}
function override(reason: string) {
  const o = overriding.value
  overriding.value = undefined
  if (o) bind(o.role, o.tag, reason)
}
useKeys({ Enter: bindAll })
</script>

<template>
  <div>
    <StepHead
      title="Bring together"
      do="Each reference is checked: certificate in date, range, uncertainty, gas enough."
    />
    <ul class="rows mt-4 border-y-2 border-ink">
      <li v-for="o in offers" :key="o.role.id" class="py-3">
        <div class="flex flex-wrap items-baseline gap-3">
          <span class="font-semibold">{{ o.role.title }}</span>
          <span v-if="o.role.standard" class="ml-auto text-petrol">
            ● <span class="num">{{ o.role.standard.tag }}</span> {{ o.role.standard.name }}
          </span>
          <span v-else class="ml-auto text-ink-2">○ {{ o.role.optional ? 'may stay empty' : 'not chosen' }}</span>
        </div>
        <p v-for="e in o.role.earlier ?? []" :key="e.standard.tag + e.until" class="text-sm text-ink-2">
          Before that <span class="num">{{ e.standard.tag }}</span> ({{ e.why }}), for
          {{ e.points.join(', ') || 'nothing yet' }}.
        </p>
        <ul class="mt-1 flex flex-wrap gap-2">
          <li v-for="c in fitting(o.list)" :key="c.standard.id">
            <button
              class="min-h-11 border px-3 text-left text-sm hover:bg-brass-wash"
              :class="o.role.standard?.tag === c.standard.tag ? 'border-ink bg-petrol-wash' : 'border-line bg-sheet'"
              @click="bind(o.role.id, c.standard.tag)"
            >
              <span class="num font-medium">{{ c.standard.tag }}</span> certificate until
              {{ dayWords(c.standard.certificate.due_on) }}
              <span v-for="r in c.fitness.ready" :key="r" class="block text-petrol">{{ r }}</span>
              <span v-for="w in c.fitness.warnings" :key="w" class="block text-brass">{{ w }}</span>
            </button>
          </li>
        </ul>
        <details v-if="unfit(o.list).length" class="mt-1 text-sm" :open="!fitting(o.list).length">
          <summary class="min-h-11 cursor-pointer py-2 text-ink-2">
            {{ unfit(o.list).length }} cannot be used, and why
          </summary>
          <ul class="space-y-1">
            <li v-for="c in unfit(o.list)" :key="c.standard.id" class="border-l-4 border-line pl-3">
              {{ c.fitness.blocks.join(' ') }}
              <RouterLink
                v-if="o.role.prepared?.some((p) => !p.here)"
                class="inline-flex min-h-11 items-center underline"
                :to="{ name: 'device', params: { id: c.standard.tag } }"
                >Prepare {{ c.standard.tag }}</RouterLink
              >
              <button
                v-if="can('use a standard that is not in order') && !o.role.standard"
                class="min-h-11 underline"
                @click="overriding = { role: o.role.id, tag: c.standard.tag }"
              >
                Allow {{ c.standard.tag }} for as found only
              </button>
            </li>
          </ul>
        </details>
        <p v-if="o.known && !o.list.length" class="text-vermilion">No reference of this kind is in the register.</p>
      </li>
    </ul>
    <slot />
    <ThumbBar class="mt-4">
      <button class="btn btn-main" :disabled="!fillable || filling || sending" @click="bindAll">
        Take the first that fits, for each <kbd>Enter</kbd>
      </button>
    </ThumbBar>
    <AskDialog
      v-if="exchanging"
      :title="`Exchange ${exchanging.from} for ${exchanging.tag} from here on`"
      :hint="`What was read with ${exchanging.from} keeps it. The certificate names both, and what was read with which.`"
      label="Why it is exchanged"
      action="Exchange it"
      :suggestions="['It ran empty', 'It was dropped', 'It is needed elsewhere']"
      @done="exchange"
      @close="exchanging = undefined"
    />
    <AskDialog
      v-if="overriding"
      :title="`Allow ${overriding.tag} for as found only`"
      hint="Nothing may be adjusted by it, and no statement of conformity is made."
      label="Reason"
      action="Allow it"
      @done="override"
      @close="overriding = undefined"
    />
  </div>
</template>
