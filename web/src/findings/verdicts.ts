/** What something makes of its rule, in the word that stands everywhere. */
export const verdictWord = (verdict: string) => verdict.replace('_', ' ')

/** What all rules come to, as a sentence. */
export const verdictSentence: Record<string, string> = {
  broken: 'Rules are broken',
  not_certified: 'Not everything is certified',
  tight: 'All rules hold, some tightly',
  meets: 'All rules hold',
}
