<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import type { components } from '../api/schema.gen'
import { clock, movedBy, partsOf } from './clock'

/** The day in order, part by part; moved by the buttons, or by Alt and the arrows. */
type Block = components['schemas']['Block']
const props = defineProps<{ blocks: Block[]; jobs: components['schemas']['RoundJob'][]; many: boolean }>()
const emit = defineEmits<{ order: [parts: string[]]; leave: [job: string]; at: [job: string | undefined] }>()
const list = ref<HTMLElement>()
const job = (id: string) => props.jobs.find((j) => j.id === id)
const partWords: Record<string, string> = { 'set up': 'set up', finish: 'finish', whole: '' }
/** Until when a job that was set up runs by itself. */
function runs(b: Block) {
  if (b.part !== 'set up') return ''
  const end = props.blocks.find((x) => x.job === b.job && x.part === 'finish')
  return end ? `then it runs by itself; finish at ${clock(end.from)}` : ''
}
/** What was moved keeps the cursor when the day comes back in its new order, also as another part of its job. */
let moved: Block | undefined
function move(i: number, by: -1 | 1) {
  const next = movedBy(props.blocks, i, by)
  if (next === props.blocks) return
  moved = props.blocks[i]
  emit('order', partsOf(next))
}
watch(
  () => props.blocks,
  async () => {
    const of = moved
    moved = undefined
    await nextTick()
    const i = props.blocks.findIndex((b) => b.job === of?.job && b.part === of.part)
    const at = i < 0 ? props.blocks.findIndex((b) => b.job === of?.job) : i
    if (at >= 0) (list.value?.children[at] as HTMLElement).focus()
  },
)
</script>

<template>
  <ol ref="list" class="rows border-y-2 border-ink" aria-label="The day in order">
    <li
      v-for="(b, i) in blocks"
      :key="b.job + b.part"
      tabindex="0"
      class="group grid grid-cols-[136px_1fr_auto] items-center gap-3 py-1.5 focus-visible:bg-brass-wash"
      @mouseenter="emit('at', b.job)"
      @mouseleave="emit('at', undefined)"
      @focus="emit('at', b.job)"
      @keydown.alt.up.prevent="move(i, -1)"
      @keydown.alt.down.prevent="move(i, 1)"
      @keydown.delete.self="emit('leave', b.job)"
    >
      <span class="num text-[1.0625rem] whitespace-nowrap">{{ clock(b.from) }}–{{ clock(b.until) }}</span>
      <span>
        <span v-if="b.travel > 5" class="block text-sm text-ink-2">{{ b.travel }} min on the way to</span>
        <b class="num">{{ job(b.job)?.tag }}</b> {{ job(b.job)?.title }}
        <span v-if="partWords[b.part]" class="border border-ink-2 px-1 text-sm">{{ partWords[b.part] }}</span>
        <span class="block text-sm text-ink-2"
          ><template v-if="many">{{ b.person }} · </template>{{ b.place
          }}<template v-if="runs(b)"> · {{ runs(b) }}</template></span
        >
      </span>
      <span class="flex gap-1">
        <button class="btn-small" :disabled="i === 0" :aria-label="`${job(b.job)?.tag} earlier`" @click="move(i, -1)">
          ↑
        </button>
        <button
          class="btn-small"
          :disabled="i === blocks.length - 1"
          :aria-label="`${job(b.job)?.tag} later`"
          @click="move(i, 1)"
        >
          ↓
        </button>
        <button class="btn-small" :aria-label="`Leave ${job(b.job)?.tag} out`" @click="emit('leave', b.job)">×</button>
      </span>
    </li>
  </ol>
  <p v-if="blocks.length" class="mt-1 text-sm text-ink-2">
    <kbd>Alt</kbd> <kbd>↑</kbd> <kbd>↓</kbd> moves a part, <kbd>Delete</kbd> leaves its job out.
  </p>
</template>
