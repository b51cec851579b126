<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'
import DialogShell from '../components/DialogShell.vue'
import { tone } from '../composables/useTone'
import { missing } from '../offline/secure'

/** Reads a label with the camera: what it says is given on as if a scanner had typed it. */
defineProps<{ note?: string }>()
const emit = defineEmits<{ code: [text: string]; close: [] }>()
const video = ref<HTMLVideoElement>()
const trouble = ref(missing('camera'))
const canvas = document.createElement('canvas')
let stream: MediaStream | undefined
let over = false
/** The code read last, and when: a label that stays in sight is read once. */
let last = { text: '', at: 0 }

const refusals: Record<string, string> = {
  NotAllowedError: 'This page may not use the camera: allow it beside the address, then scan again.',
  NotFoundError: 'This device has no camera. Type the tag instead.',
  NotReadableError: 'Something else uses the camera. Close it, then scan again.',
}

onMounted(async () => {
  if (trouble.value) return
  try {
    const wanted = { facingMode: 'environment', width: { ideal: 1280 }, height: { ideal: 720 } }
    stream = await navigator.mediaDevices.getUserMedia({ video: wanted })
    if (over || !video.value) return stop()
    video.value.srcObject = stream
    await video.value.play()
    look(await import('./scan'))
  } catch (error) {
    const name = error instanceof DOMException ? error.name : ''
    trouble.value = refusals[name] ?? 'The camera does not start. Type the tag instead.'
    stop()
  }
})
function stop() {
  over = true
  stream?.getTracks().forEach((track) => track.stop())
}
onBeforeUnmount(stop)

/** Looks at the picture again and again, each time when the one before was looked at. */
async function look({ codeIn }: typeof import('./scan')) {
  while (!over) {
    const text = await codeIn(picture()).catch(() => '')
    if (over) return
    if (text && (text !== last.text || Date.now() - last.at > 3000)) {
      tone('taken')
      emit('code', text)
    }
    if (text) last = { text, at: Date.now() }
    await new Promise((resolve) => setTimeout(resolve, 120))
  }
}
function picture() {
  const { videoWidth: width, videoHeight: height } = video.value!
  Object.assign(canvas, { width, height })
  const context = canvas.getContext('2d', { willReadFrequently: true })!
  context.drawImage(video.value!, 0, 0)
  return context.getImageData(0, 0, width, height)
}
</script>

<template>
  <DialogShell title="Scan a label" wide="narrow" @close="emit('close')">
    <p v-if="trouble" class="mt-3 border-l-4 border-vermilion bg-vermilion-wash px-3 py-2" role="alert">
      {{ trouble }}
    </p>
    <template v-else>
      <p class="mt-1 text-ink-2">Hold the code of the tag before the camera, as large as the picture.</p>
      <video
        ref="video"
        class="mt-3 aspect-[4/3] w-full border-2 border-ink bg-ink object-cover"
        muted
        playsinline
      ></video>
    </template>
    <p v-if="note" class="mt-3 border-l-4 border-brass bg-brass-wash px-3 py-2" role="status">{{ note }}</p>
    <button class="btn mt-4 min-h-14 w-full justify-center" @click="emit('close')">Close <kbd>Esc</kbd></button>
  </DialogShell>
</template>
