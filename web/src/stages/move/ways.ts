/** Ways out in words. */
import type { Schemas } from '../../api/client'

type Way = Schemas['WayState']
export const TITLES: Record<Way['kind'], string> = {
  part: 'Go part of the way',
  lens: 'Pull the focal length in',
  path: 'Set the path off',
  paint: 'Paint what is bare',
  extend: 'Extend ground and backdrop',
  limit: 'Raise limits',
}
const number = (v: unknown) => (typeof v === 'number' ? v : 0)

/** What a way costs; empty where none was found. `named`: a piece's name by its id. */
export function costOf(way: Way, named: (id: string) => string): string {
  const cost = way.cost as Record<string, unknown>
  switch (way.kind) {
    case 'part':
      return `${(100 * number(cost.fraction)).toFixed(1)} % of the way from home.`
    case 'lens':
      return `Focal length ${number(cost.focal_percent).toFixed(0)} % longer; home is not pinned then.`
    case 'path': {
      const [x, y, z] = (cost.offset as number[]) ?? [0, 0, 0]
      if (!way.holds) return 'Tried up to some metres along Run, Rise and Return.'
      const parts = `${x.toFixed(2)} along Run, ${y.toFixed(2)} up, ${z.toFixed(2)} along Return`
      return `${number(cost.metres).toFixed(2)} m away: ${parts}.`
    }
    case 'paint':
      return `${number(cost.regions)} regions, ${number(cost.pixels).toLocaleString('en')} photo px.`
    case 'extend': {
      const names = ((cost.surfaces as string[]) ?? []).map(named).join(', ')
      const seen = `${number(cost.void_percent).toFixed(2)} % of a frame shows the set's end`
      return names ? `${names}, ${number(cost.times).toFixed(1)} times as large; ${seen}.` : `${seen}.`
    }
    case 'limit': {
      const limits = Object.entries((cost.surfaces as Record<string, { stretch: number; magnification: number }>) ?? {})
      const said = limits.map(
        ([id, l]) => `${named(id)} ${l.stretch.toFixed(1)} : 1, ${l.magnification.toFixed(1)} px/px`,
      )
      const gap = number(cost.gap_percent)
      if (gap > number(cost.was_gap_percent)) said.push(`without picture ${gap.toFixed(2)} %`)
      return said.length ? `${said.join('; ')}.` : ''
    }
    default:
      return ''
  }
}
