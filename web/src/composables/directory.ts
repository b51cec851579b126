/** Why somebody who came from the hospital's directory was not signed in, in words that say what to do. */
const refusals: Record<string, string> = {
  expired: 'That took too long, or was begun in another browser. Try once more.',
  'not-said': 'The directory does not answer, or did not confirm it. Try again, or use a passkey.',
  'no-role': 'None of your groups in the directory gives you a role here. Whoever keeps the directory can add you.',
  'name-taken':
    'Somebody with a password has your name here. If that is you: sign in by the password, and join the account to the directory under your name.',
  closed: 'Your account here was closed. Ask an administrator.',
  last: 'The directory would take your role, and nobody else here has it. Give somebody that role first.',
  taken: 'In the directory you belong to another account here already.',
  'not-you': 'Somebody else was signed in when you came back. Sign in again.',
  'none-is-set': 'This server knows no directory.',
}

/** What the page was told when the directory sent somebody back; empty: nothing. */
export function directoryTold() {
  const why = new URLSearchParams(location.search).get('directory')
  return why ? (refusals[why] ?? refusals['not-said']!) : ''
}

/** Opens the directory over the page, which stays as it is; done is called when somebody came back from it. */
export function overThePage(done: () => void) {
  const opened = window.open('/sign-in/directory?window', 'directory', 'popup,width=520,height=680')
  const timer = setInterval(() => {
    if (opened && !opened.closed) return
    clearInterval(timer)
    done()
  }, 500)
}
