import type { Pair } from '../api/client'

/** What something makes of its rule, in the word that stands everywhere. */
export const verdictWord = (verdict: string) => verdict.replace('_', ' ')

/** What all rules come to, as a sentence. */
export const verdictSentence: Record<string, string> = {
  broken: 'Rules are broken',
  not_certified: 'Not everything is certified',
  tight: 'All rules hold, some tightly',
  meets: 'All rules hold',
}

/** Tells a pair from others: one of which a part is carried at times comes more than once. */
export const pairKey = ({ a, b, during_s }: Pair) =>
  `${a.name}~${b.name}${during_s?.[0] ? `~${during_s[0].toFixed(3)}` : ''}`
