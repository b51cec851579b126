import { useLocalStorage } from '@vueuse/core'

let context: AudioContext | undefined

/** What is told to the ear and the hand: each by its own notes, in hertz, and its own pulses, in milliseconds. */
const marks = {
  /** A reading is taken. */
  taken: { notes: [880], pulses: [40] },
  /** Something was not recorded. */
  refused: { notes: [220, 165], pulses: [180, 60, 180] },
  /** A timer is over. */
  timer: { notes: [660, 880, 660], pulses: [90, 60, 90, 60, 90] },
  /** A hand is needed: something is to be moved, or what read by itself has stopped. */
  hand: { notes: [523, 784, 523, 784], pulses: [300] },
} as const
/** Whether this browser sounds and trembles at all. */
export const sounds = useLocalStorage('sounds', true)

export type Mark = keyof typeof marks
export const toneMarks = Object.keys(marks) as Mark[]

/** tone sounds a short mark, and lets the device tremble where it can. */
export function tone(mark: Mark) {
  if (!sounds.value) return
  const { notes, pulses } = marks[mark]
  // A browser that trembles only after it was touched says so by false.
  navigator.vibrate?.([...pulses])
  try {
    context ??= new AudioContext()
    notes.forEach((hertz, i) => {
      const at = context!.currentTime + i * 0.18
      const oscillator = context!.createOscillator()
      const gain = context!.createGain()
      oscillator.frequency.value = hertz
      gain.gain.setValueAtTime(0.15, at)
      gain.gain.exponentialRampToValueAtTime(0.001, at + 0.16)
      oscillator.connect(gain).connect(context!.destination)
      oscillator.start(at)
      oscillator.stop(at + 0.17)
    })
  } catch {
    // A browser without sound still shows what it would have said.
  }
}

/** notify tells of an ended timer outside the page, where that was allowed. */
export function notify(title: string, body: string) {
  if ('Notification' in window && Notification.permission === 'granted') new Notification(title, { body })
}
