import { useEffect } from 'react'

/** Key (as `KeyboardEvent.key`, letters in lower case; 'Shift ' in front where it is held with a key that is no letter, 'Ctrl ' where that or Cmd is) to what it does. */
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
      if (event.defaultPrevented || event.altKey || event.isComposing) return
      if (typesText(event.target) || isInOverlay(event.target)) return
      const key = /^[a-z]$/i.test(event.key) ? event.key.toLowerCase() : event.key
      const shifted = event.shiftKey && (key === ' ' || key.length > 1) ? `Shift ${key.trim()}` : key
      // With Ctrl (or Cmd) most keys are the browser's; those a screen asks for by that name are its own.
      const name = event.ctrlKey || event.metaKey ? `Ctrl ${key}` : shifted
      // Enter or a space on a focused button or link presses that one.
      if (
        (name === 'Enter' || name === ' ') &&
        event.target instanceof Element &&
        event.target.closest('button:not([data-row]), a, summary')
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
