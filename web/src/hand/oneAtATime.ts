/**
 * A request of which one is out at a time: all who ask while it is, share the one that follows it, which is of what was
 * asked last. What the first one answers may be older than their asking.
 */
export function oneAtATime<T>(ask: (of: T) => Promise<void>): (of: T) => Promise<void> {
  let under: Promise<void> | null = null
  let next: Promise<void> | null = null
  let wanted: T
  const begin = () => {
    next = null
    const mine = ask(wanted).finally(() => {
      if (under === mine) under = null
    })
    under = mine
    return mine
  }
  return (of) => {
    wanted = of
    if (!under) return begin()
    return (next ??= under.then(begin, begin))
  }
}
