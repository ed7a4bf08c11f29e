/** What one can do. */
export type Question = 'Where' | 'What' | 'When' | 'Findings' | 'Program'

export interface Action {
  id: string
  name: string
  /** Under which heading it is listed. */
  of: Question
  /** The binding in force, as written: `Shift+F`, `ArrowLeft`. */
  key?: string
  /** The binding it comes with. */
  standardKey?: string
  run: () => unknown
  enabled?: () => boolean
}

/** An action in the table of its heading. */
export type Row = Omit<Action, 'of'>
