<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue'
import FormOutcome from '../components/FormOutcome.vue'
import SectionTitle from '../components/SectionTitle.vue'
import { api } from '../api/client'
import { pedal } from '../composables/useKeys'
import { learn, learning, manner, modifiers } from '../composables/useScanner'
import { useSession } from '../composables/useSession'
import { sounds, tone, toneMarks } from '../composables/useTone'
import { missing } from '../offline/secure'
import { useHouse } from './useHouse'

/** How scanner and pedal of this browser type, and what the code on a label says. */
const { data, problem, saved, change } = useHouse()
const { can } = useSession()
const address = ref('')
watch(data, (d) => d && (address.value = d.address), { immediate: true })
const keep = () =>
  change(
    () => api.POST('/api/house/address', { body: { address: address.value } }),
    'Kept. Labels printed from now on carry it.',
  )

/** What each sound says. */
const said = {
  taken: 'A reading is taken',
  refused: 'Something was not recorded',
  timer: 'A timer is over',
  hand: 'A hand is needed',
}
const gives = {
  camera: 'The camera reads labels.',
  offline: 'The pages open without a network, as they were.',
  awake: 'The screen stays awake during a run.',
}
/** A scan that is listened to: the times of its keys, and what it ended with. */
const listening = ref<'scan' | 'pedal'>()
const heard = ref('')
let times: number[] = []
let text = ''
let ends: ReturnType<typeof setTimeout> | undefined
function learnt(suffix: 'Enter' | 'Tab' | '') {
  clearTimeout(ends)
  listening.value = undefined
  const gaps = times.slice(1).map((t, i) => t - times[i]!)
  const widest = Math.max(...gaps, 0)
  if (text.length < 4 || widest > 120) {
    heard.value = 'That was typed by hand, or too short: scan a label once more.'
    return
  }
  learn({ gap: Math.min(Math.max(Math.ceil(widest * 2), 20), 120), suffix })
  heard.value = `Learnt from “${text}”: keys at most ${manner.gap} ms apart, ${suffix ? `then ${suffix}` : 'nothing at the end'}.`
}
function onKey(event: KeyboardEvent) {
  if (!listening.value || modifiers.includes(event.key)) return false
  if (listening.value === 'pedal') {
    listening.value = undefined
    if (event.code !== 'Escape') pedal.value = event.code || event.key
    return true
  }
  if (event.key === 'Enter' || event.key === 'Tab') {
    learnt(event.key)
    return true
  }
  times.push(event.timeStamp)
  text += event.key.length === 1 ? event.key : ''
  clearTimeout(ends)
  ends = setTimeout(() => learnt(''), 600)
  return true
}
function listen(to: 'scan' | 'pedal') {
  times = []
  text = heard.value = ''
  listening.value = to
}
learning(onKey)
onBeforeUnmount(() => learning())
</script>

<template>
  <section v-if="data" class="grid max-w-3xl gap-8">
    <div>
      <SectionTitle>Scanner of this browser</SectionTitle>
      <p class="mt-2">
        It types with at most <b class="num">{{ manner.gap }} ms</b> between keys, and ends with
        <b>{{ manner.suffix || 'nothing' }}</b>. A whole tag or serial at that speed opens its device, and is never a
        reading.
      </p>
      <button class="btn mt-3" @click="listen('scan')">
        {{ listening === 'scan' ? 'Scan any label now …' : 'Learn it by scanning once' }}
      </button>
      <p v-if="heard" class="mt-3 border-l-4 border-petrol bg-petrol-wash px-3 py-2" role="status">{{ heard }}</p>
    </div>
    <div>
      <SectionTitle>Pedal, or any other key that says “it is there”</SectionTitle>
      <p class="mt-2">
        {{ pedal ? `The key ${pedal} does as Enter does at the bench.` : 'None is set: Enter and a tap say it.' }}
      </p>
      <p class="mt-3 flex gap-3">
        <button class="btn" @click="listen('pedal')">
          {{ listening === 'pedal' ? 'Press it now …' : 'Set it by pressing it' }}
        </button>
        <button v-if="pedal" class="btn btn-quiet" @click="pedal = ''">None</button>
      </p>
    </div>
    <div>
      <SectionTitle>Sounds, and trembling where the device can</SectionTitle>
      <label class="mt-2 flex min-h-11 items-center gap-3">
        <input v-model="sounds" type="checkbox" name="sounds" class="size-5" />
        In this browser
      </label>
      <ul v-if="sounds" class="rows">
        <li v-for="m in toneMarks" :key="m" class="flex items-center justify-between gap-4 py-1">
          {{ said[m] }}
          <button class="btn btn-small px-3" :aria-label="`Hear: ${said[m]}`" @click="tone(m)">Hear it</button>
        </li>
      </ul>
    </div>
    <div>
      <SectionTitle>What this browser gives</SectionTitle>
      <ul class="rows">
        <li v-for="(words, need) in gives" :key="need" class="py-2">
          <template v-if="missing(need)"><span class="text-brass">◇</span> {{ missing(need) }}</template>
          <template v-else><span class="text-petrol">●</span> {{ words }}</template>
        </li>
      </ul>
    </div>
    <form @submit.prevent="keep">
      <SectionTitle>Codes on labels</SectionTitle>
      <FormOutcome class="mt-2" :saved="saved" :problem="problem" />
      <label class="mt-2 block">
        <span class="label">Address at which others reach this server</span>
        <input
          v-model="address"
          name="address"
          class="field num"
          maxlength="200"
          placeholder="https://needle.example:8360"
          :disabled="!can('set rules')"
        />
      </label>
      <p class="mt-1 text-sm text-ink-2">
        With it a phone’s camera opens the device. Without it the code carries the tag, which every scanner here
        understands.
      </p>
      <button v-if="can('set rules')" class="btn btn-main mt-3">Keep</button>
    </form>
  </section>
</template>
