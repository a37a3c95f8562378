import { useEffect } from 'react'

/** Key (as `KeyboardEvent.key`, letters in lower case) to what it does. */
export type KeyMap = Readonly<Record<string, () => void>>

const typesText = (target: EventTarget | null) =>
  target instanceof HTMLElement &&
  (target.isContentEditable || /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName))

/** A popover or dialog has the keyboard to itself. */
const isInOverlay = (target: EventTarget | null) =>
  target instanceof Element &&
  target.closest('[role="dialog"], [role="menu"], [data-radix-popper-content-wrapper]') !== null

/** Single keys for the whole screen; silent while somebody types or chooses in a popover. */
export function useKeys(keys: KeyMap, active = true): void {
  useEffect(() => {
    if (!active) return
    const press = (event: KeyboardEvent) => {
      if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || event.isComposing)
        return
      if (typesText(event.target) || isInOverlay(event.target)) return
      const name = event.key.length === 1 ? event.key.toLowerCase() : event.key
      // Enter on a focused button or link presses that one.
      if (
        name === 'Enter' &&
        event.target instanceof Element &&
        event.target.closest('button:not([data-row]), a')
      )
        return
      const act = keys[name]
      if (!act) return
      event.preventDefault()
      act()
    }
    document.addEventListener('keydown', press)
    return () => document.removeEventListener('keydown', press)
  }, [keys, active])
}
