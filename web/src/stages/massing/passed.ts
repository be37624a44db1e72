/** What a flat has passed since it was chosen: what hides more of it at home than then, and what it hides more of. */
import type { Schemas } from '../../api/client'

type Order = Schemas['HomeOrder']
const TOLD = 1 // percent: soft borders overlap by less

export function passed(before: Order, now: Order, nameOf: (id: string) => string): string[] {
  const grown = (list: Schemas['Overlap'][], than: Schemas['Overlap'][]) =>
    list
      .filter((x) => x.percent - (than.find((y) => y.piece === x.piece)?.percent ?? 0) > TOLD)
      .sort((a, b) => b.percent - a.percent)
      .slice(0, 2)
  return [
    ...grown(now.hidden_by, before.hidden_by).map(
      (x) => `${nameOf(x.piece)} now hides ${x.percent.toFixed(0)} % of this flat at home.`,
    ),
    ...grown(now.hides, before.hides).map(
      (x) => `This flat now hides ${x.percent.toFixed(0)} % of ${nameOf(x.piece)} at home.`,
    ),
  ]
}
