let context: AudioContext | undefined

/** tone sounds a short mark: 'done' when a timer ends, 'taken' when a reading is. */
export function tone(kind: 'done' | 'taken') {
  try {
    context ??= new AudioContext()
    const notes = kind === 'done' ? [660, 880, 660] : [880]
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
    // A browser without sound still shows the timer.
  }
}

/** notify tells of an ended timer outside the page, where that was allowed. */
export function notify(title: string, body: string) {
  if ('Notification' in window && Notification.permission === 'granted') new Notification(title, { body })
}
