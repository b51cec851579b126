/**
 * What a browser gives only to pages from https or from this very machine, in the words of whoever misses it. A browser
 * says nothing of why a thing is missing: a page that came over plain http is told how to get it.
 */
export type Need = 'camera' | 'offline' | 'awake'

const has: Record<Need, () => boolean> = {
  camera: () => !!navigator.mediaDevices?.getUserMedia,
  offline: () => 'serviceWorker' in navigator,
  awake: () => 'wakeLock' in navigator,
}
const lost: Record<Need, string> = {
  camera: 'The camera cannot be used',
  offline: 'These pages do not open without a network',
  awake: 'The screen may go dark during a run',
}

/** missing says what is missing and how to get it; empty where nothing is. */
export function missing(need: Need): string {
  if (has[need]()) return ''
  if (!window.isSecureContext)
    return `${lost[need]}: this page came over plain http. Open it by https (whoever runs the server gives it a certificate: --tls-cert and --tls-key), or on the serving machine itself as localhost.`
  return `${lost[need]}: this browser has no way to. Another one may.`
}
