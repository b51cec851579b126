// What is wrong with the page as it stands at this size, each in words: what lies beyond an edge or scrolls sideways,
// what is cut off, what is too small for a gloved finger, and what lies over what is to be touched.
(() => {
  const target = 44
  const width = document.documentElement.clientWidth
  const root = document.querySelector('[role=dialog], [role=menu]') ?? document.body
  const named = (e) => e.outerHTML.replace(/\s+/g, ' ').slice(0, 140)
  const inSight = (e) => e.checkVisibility({ visibilityProperty: true }) && !e.closest('.sr-only, .max-sm\\:sr-only')
  const wrong = new Set()
  const parts = [...root.querySelectorAll('*')].filter((e) => inSight(e) && !e.parentElement?.closest('svg, .uplot'))

  const beyond = new Set() // what lies in one of these is no news
  for (const e of parts) {
    const { left, right } = e.getBoundingClientRect()
    const within = e.closest('[data-sideways]')
    if (beyond.has(e.parentElement)) beyond.add(e)
    else if (!within && (right > width + 1 || left < -1)) beyond.add(e), wrong.add(`beyond the edge (${Math.round(left)} to ${Math.round(right)}): ${named(e)}`)
    const { overflowX } = getComputedStyle(e)
    if (!within && overflowX !== 'visible' && e.scrollWidth > e.clientWidth + 1 && !e.matches('.truncate, input, select, textarea, svg')) {
      wrong.add(`${overflowX === 'hidden' ? 'cut off' : 'scrolls sideways'} (${e.scrollWidth} in ${e.clientWidth}): ${named(e)}`)
    }
  }

  const touched = 'button, a[href], input, select, textarea, summary, [role=option], [role=menuitem]'
  const hit = (e) => (e.matches('[type=checkbox], [type=radio], [type=file]') && e.closest('label')) || e
  const clipped = (e) => {
    let { left, top, right, bottom } = e.getBoundingClientRect()
    for (let over = e.parentElement; over; over = over.parentElement) {
      if (getComputedStyle(over).overflowY === 'visible') continue
      const r = over.getBoundingClientRect()
      top = Math.max(top, r.top)
      bottom = Math.min(bottom, r.bottom)
    }
    return bottom - top < target / 2 ? undefined : { x: (left + right) / 2, y: (top + bottom) / 2 }
  }
  for (const e of new Set(parts.filter((e) => e.matches(touched) && !e.disabled).map(hit))) {
    if (e.closest('.uplot') || e.matches('.sr-only')) continue
    if (e.tagName === 'A' && !matchMedia('(pointer: coarse), (max-width: 79.99rem)').matches) continue // a mouse's
    const inline = e.tagName === 'A' && getComputedStyle(e).display === 'inline'
    const r = inline ? e.getClientRects()[0] : e.getBoundingClientRect()
    if (!r) continue
    if (r.height < target - 0.5 || (!inline && r.width < target - 0.5)) {
      wrong.add(`too small (${Math.round(r.width)} × ${Math.round(r.height)}): ${named(e)}`)
    }
    const middle = inline ? undefined : clipped(e)
    const over = middle && document.elementFromPoint(middle.x, middle.y)
    if (over && !e.contains(over) && !over.contains(e)) wrong.add(`covered by ${named(over)}: ${named(e)}`)
  }
  return [...wrong]
})()
