/**
 * Where the keyboard goes when a panel has closed: to `to`, or where the panel's own library puts it. Somebody who
 * has put it elsewhere meanwhile, by a key or a click, keeps it there: the library asks a moment after the panel
 * has gone, and what is typed in that moment must not be lost.
 */
export function giveFocusBack(event: Event, to?: HTMLElement | null): void {
  const panel = event.target
  const at = document.activeElement
  const isInPanel = panel instanceof Node && panel.contains(at)
  const isElsewhere = at !== null && at !== document.body && !isInPanel
  if (isElsewhere) return event.preventDefault()
  if (!to) return
  event.preventDefault()
  to.focus()
}
