/** clock writes a minute of the day: 485 is 08:05. */
export function clock(minute: number): string {
  const two = (n: number) => String(n).padStart(2, '0')
  return `${two(Math.floor(minute / 60))}:${two(minute % 60)}`
}

/** partsOf is a plan's parts in the order of time: a job that has one block stands in it twice. */
export function partsOf(blocks: { job: string; part: string }[]): string[] {
  const once = (job: string) => blocks.filter((b) => b.job === job).length === 1
  return blocks.flatMap((b) => (once(b.job) ? [b.job, b.job] : [b.job]))
}

/** movedBy moves one block earlier (-1) or later (1), past the next one of another job; at an end it stays. */
export function movedBy<B extends { job: string; part: string }>(blocks: B[], i: number, by: -1 | 1): B[] {
  let to = i + by
  while (blocks[to] && blocks[to]!.job === blocks[i]!.job) to += by
  if (!blocks[to]) return blocks
  const next = blocks.filter((_, k) => k !== i)
  next.splice(to, 0, blocks[i]!)
  return next
}
