import { onBeforeUnmount, onMounted } from 'vue'

type Listeners = Record<string, (data: string) => void>

/**
 * openStream listens to a stream of the server's while the page is in sight. A page
 * out of sight lets go of its connection: a browser keeps only a few to one server,
 * and those of forgotten tabs would leave none for this one.
 */
export function openStream(url: string, listeners: Listeners, onState: (connected: boolean) => void) {
  let source: EventSource | undefined

  function open() {
    if (source || document.visibilityState === 'hidden') return
    source = new EventSource(url)
    for (const [kind, take] of Object.entries(listeners)) {
      source.addEventListener(kind, (event) => take((event as MessageEvent<string>).data))
    }
    source.onopen = () => onState(true)
    source.onerror = () => onState(false)
  }
  function close() {
    source?.close()
    source = undefined
  }
  /** Reconnects: a stream whose server hangs reports no error. */
  const reopen = () => {
    close()
    open()
  }
  const look = () => (document.visibilityState === 'hidden' ? close() : open())

  document.addEventListener('visibilitychange', look)
  window.addEventListener('pagehide', close)
  window.addEventListener('pageshow', open)
  open()
  const stop = () => {
    document.removeEventListener('visibilitychange', look)
    window.removeEventListener('pagehide', close)
    window.removeEventListener('pageshow', open)
    close()
  }
  return { stop, reopen }
}

/** useStream is openStream for as long as the component is there. */
export function useStream(url: string, listeners: Listeners, onState: (connected: boolean) => void) {
  let stream: ReturnType<typeof openStream> | undefined
  onMounted(() => (stream = openStream(url, listeners, onState)))
  onBeforeUnmount(() => stream?.stop())
  return { reopen: () => stream?.reopen() }
}
