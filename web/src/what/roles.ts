/** What an item is in the cell. */
export const roles = ['robot', 'tool', 'fixture', 'part', 'structure', 'frame', 'group'] as const

/** What each of them means. */
export const roleMeanings: Record<(typeof roles)[number], string> = {
  robot: 'A mechanism with joints: arms, tracks, tables that turn',
  tool: 'What a robot carries and works with',
  fixture: 'What holds parts',
  part: 'What is worked on',
  structure: 'What stands round it: fences, floors, cabinets',
  frame: 'A coordinate system: base, flange, TCP, target',
  group: 'Items that belong together',
}
