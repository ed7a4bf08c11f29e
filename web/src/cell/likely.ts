/**
 * Gives the focus to what is likely meant in the dialog that has just opened: a dialog takes it for
 * itself, and a menu that opened it takes it back as it closes.
 */
export const toLikely = () =>
  document.querySelector<HTMLElement>('.v-overlay--active [autofocus]')?.focus()
