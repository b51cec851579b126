<script setup lang="ts">
import { computed, reactive } from 'vue'
import { useQuery } from '@tanstack/vue-query'
import { useRouter } from 'vue-router'
import FormDialog from '../components/FormDialog.vue'
import { api } from '../api/client'
import { queries, useCached } from '../api/queries'
import type { components } from '../api/schema.gen'
import { newId } from '../composables/useRun'
import { useSend } from '../composables/useSend'

/** An instrument to connect, or one that is connected otherwise from now on. */
const props = defineProps<{ of?: components['schemas']['InstrumentDetail'] }>()
const emit = defineEmits<{ close: [] }>()
const { refresh } = useCached()
const router = useRouter()
const { problem, send } = useSend()
const { data: profiles } = useQuery(queries.profiles())
const { data: references } = useQuery(queries.standards())
const form = reactive({
  name: props.of?.name ?? '',
  belongs: props.of?.belongs ?? '',
  profile: props.of?.profile ?? '',
  transport: props.of?.transport ?? ('serial' as 'tcp' | 'serial'),
  address: props.of?.address ?? '',
  baud: props.of?.serial?.baud ? String(props.of.serial.baud) : '',
  bits: props.of?.serial?.bits ? String(props.of.serial.bits) : '',
  parity: props.of?.serial?.parity ?? '',
  stop: props.of?.serial?.stop ?? '',
  flow: props.of?.serial?.flow ?? '',
  why: '',
})
const id = props.of?.id ?? newId()
const profile = computed(() => profiles.value?.find((p) => p.id === form.profile))
const { data: ports } = useQuery(queries.ports(() => form.transport === 'serial'))
/** The references that a profile's kind suggests come first. */
const owners = computed(() => (references.value ?? []).filter((r) => r.status === 'usable'))
/** What a setting of the port is where nothing is chosen. */
const usual = computed(() => {
  const s = profile.value?.serial
  return {
    baud: s?.baud ?? 9600,
    bits: s?.bits ?? 8,
    parity: s?.parity || 'none',
    stop: s?.stop || '1',
    flow: s?.flow || 'none',
  }
})
type Body = components['schemas']['NewInstrument']
async function save() {
  const serial = {
    ...(form.baud && { baud: Number(form.baud) }),
    ...(form.bits && { bits: Number(form.bits) }),
    ...(form.parity && { parity: form.parity }),
    ...(form.stop && { stop: form.stop }),
    ...(form.flow && { flow: form.flow }),
  } as Body['serial']
  const { name, belongs, profile, transport, address } = form
  const body = { name, belongs, profile, transport, address, ...(transport === 'serial' && { serial }) }
  const saved = props.of
    ? await send(() => api.PUT('/api/instruments/{id}', { params: { path: { id } }, body: { ...body, why: form.why } }))
    : await send(() => api.POST('/api/instruments', { body: { id, ...body } }))
  if (!saved) return
  await refresh('instruments', 'instrument', 'bench')
  emit('close')
  if (!props.of) router.push({ name: 'instruments', params: { id } })
}
</script>

<template>
  <FormDialog
    :title="of ? `Change ${of.name}` : 'Connect an instrument'"
    hint="Whose readings they are, how it speaks, and where it is. It is connected at once, and can then be tried."
    :action="of ? 'Change it' : 'Connect it'"
    :problem="problem"
    wide
    @save="save"
    @close="emit('close')"
  >
    <div class="grid gap-4 sm:grid-cols-2">
      <label class="block"
        ><span class="label">Name</span
        ><input v-model="form.name" name="name" class="field" maxlength="100" placeholder="Balance at the pump bench"
      /></label>
      <label class="block">
        <span class="label">It is the reference, or the device</span>
        <input v-model="form.belongs" name="belongs" class="field num" list="owners" placeholder="its tag" />
        <datalist id="owners">
          <option v-for="r in owners" :key="r.id" :value="r.tag">{{ r.name }}</option>
        </datalist>
      </label>
      <label class="block sm:col-span-2">
        <span class="label">Profile: how it speaks</span>
        <select v-model="form.profile" name="profile" class="field">
          <option value="" disabled>choose …</option>
          <option v-for="p in profiles" :key="p.id" :value="p.id">{{ p.title }}{{ p.own ? ' (our own)' : '' }}</option>
        </select>
      </label>
      <label class="block">
        <span class="label">Connected by</span>
        <select v-model="form.transport" name="transport" class="field">
          <option value="serial" :disabled="!!profile && !profile.serial">a serial port of this server</option>
          <option value="tcp" :disabled="!!profile && !profile.tcp">TCP, also through a serial-to-network box</option>
        </select>
      </label>
      <label class="block">
        <span class="label">{{ form.transport === 'tcp' ? 'Host and port' : 'Port' }}</span>
        <input
          v-model="form.address"
          name="address"
          class="field num"
          list="ports"
          :placeholder="form.transport === 'tcp' ? '10.0.0.7:4001' : '/dev/ttyUSB0 or COM3'"
        />
        <datalist id="ports">
          <template v-if="form.transport === 'serial'"
            ><option v-for="p in ports" :key="p" :value="p"></option
          ></template>
        </datalist>
      </label>
    </div>
    <fieldset v-if="form.transport === 'serial'" class="mt-4 grid grid-cols-2 gap-4 sm:grid-cols-5">
      <legend class="label col-span-full">The port, where it is not as the profile says</legend>
      <label class="block"
        ><span class="label">Baud</span
        ><input v-model="form.baud" name="baud" inputmode="numeric" class="field num" :placeholder="String(usual.baud)"
      /></label>
      <label class="block"
        ><span class="label">Bits</span>
        <select v-model="form.bits" name="bits" class="field num">
          <option value="">{{ usual.bits }}</option>
          <option v-for="n in [7, 8]" :key="n">{{ n }}</option>
        </select></label
      >
      <label class="block"
        ><span class="label">Parity</span>
        <select v-model="form.parity" name="parity" class="field">
          <option value="">{{ usual.parity }}</option>
          <option v-for="n in ['none', 'odd', 'even', 'mark', 'space']" :key="n">{{ n }}</option>
        </select></label
      >
      <label class="block"
        ><span class="label">Stop bits</span>
        <select v-model="form.stop" name="stop" class="field num">
          <option value="">{{ usual.stop }}</option>
          <option v-for="n in ['1', '1.5', '2']" :key="n">{{ n }}</option>
        </select></label
      >
      <label class="block"
        ><span class="label">Flow control</span>
        <select v-model="form.flow" name="flow" class="field">
          <option value="">{{ usual.flow }}</option>
          <option v-for="n in ['none', 'rts-cts', 'xon-xoff']" :key="n">{{ n }}</option>
        </select></label
      >
    </fieldset>
    <label v-if="of" class="mt-4 block"
      ><span class="label">Why it is changed</span><input v-model="form.why" name="why" class="field" maxlength="1000"
    /></label>
  </FormDialog>
</template>
