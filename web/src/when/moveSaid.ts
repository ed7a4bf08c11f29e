import type { Step } from './programStore'

/** What a move is, in words; items by what people call them. */
export function moveSaid(step: Step, nameOf = (id: string) => id): string {
  switch (step.move) {
    case 'joint':
      return step.to ? `joint to ${step.to}` : 'joint to values'
    case 'linear':
      return `linear to ${step.to}`
    case 'circular':
      return `circular over ${step.via} to ${step.to}`
    case 'wait':
      return `wait ${step.seconds} s`
    case 'sync':
      return `sync mark ${step.mark}`
    case 'take':
      return `take ${nameOf(step.item)}`
    case 'release':
      return `release ${nameOf(step.item)}${step.onto ? ` onto ${nameOf(step.onto)}` : ''}`
    case 'recorded':
      return `recording ${step.file.split('/').at(-1)}`
  }
}
