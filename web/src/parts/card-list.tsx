import { useEffect, useMemo, useRef, type KeyboardEvent, type ReactNode } from 'react'
import { clsx } from 'clsx'
import { useKeys } from '../app/keys.ts'

interface CardListProps {
  readonly children: ReactNode
  /** The first card takes the keyboard as soon as there is one. */
  readonly takesFocus?: boolean
  /** Up and down lead here from anywhere on the screen. */
  readonly isOnlyList?: boolean
  /** Keys that press a button of the card they are pressed on: key to selector. */
  readonly presses?: Readonly<Record<string, string>>
  readonly className?: string
}

const cardsOf = (list: HTMLElement) => [...list.querySelectorAll<HTMLElement>('[data-card]')]
const isTyping = (target: Element | null) =>
  target !== null && /^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName)
const steps: Readonly<Record<string, 1 | -1>> = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1 }

/** What Enter on a card goes to: its main act, or the first thing that can be pressed. */
const mainOf = (card: HTMLElement) =>
  card.querySelector<HTMLElement>('[data-main]:not(:disabled)') ??
  card.querySelector<HTMLElement>('button:not(:disabled)')

/**
 * Cards (`data-card`, `tabIndex` -1) that the keyboard goes through: up and down from one to the next, Enter to what can be
 * done with it; a card with one button has it pressed. When a card is done with and gone, the next one has the keyboard.
 */
export function CardList({
  children,
  takesFocus = false,
  isOnlyList = false,
  presses = {},
  className,
}: CardListProps) {
  const list = useRef<HTMLUListElement>(null)
  const wanted = useRef(takesFocus)
  /** The card that has the keyboard; -1 for none. One that is removed says no goodbye, and so it stands here still. */
  const at = useRef(-1)
  useEffect(() => {
    const cards = list.current ? cardsOf(list.current) : []
    const active = document.activeElement
    const isLost = at.current >= 0 && (active === document.body || active === null)
    if (cards.length === 0 || isTyping(active) || !(wanted.current || isLost)) return
    wanted.current = false
    cards[Math.min(Math.max(0, at.current), cards.length - 1)]?.focus()
  })
  const enter = () => list.current && cardsOf(list.current)[0]?.focus()
  useKeys(
    useMemo(() => ({ j: enter, k: enter, ArrowDown: enter, ArrowUp: enter }), []),
    isOnlyList,
  )
  const press = (event: KeyboardEvent) => {
    const { target, key } = event
    if (event.ctrlKey || event.metaKey || event.altKey || !(target instanceof HTMLElement)) return
    if (isTyping(target) || !list.current) return
    const cards = cardsOf(list.current)
    const now = cards.findIndex(card => card.contains(target))
    const card = cards[now]
    const by = steps[key]
    if (by !== undefined) cards[Math.min(cards.length - 1, Math.max(0, now + by))]?.focus()
    else if (key === 'Enter' && card === target) {
      const main = mainOf(card)
      if (card.querySelectorAll('button').length === 1) main?.click()
      else main?.focus()
    } else if (card && presses[key] !== undefined) card.querySelector<HTMLElement>(presses[key])?.click()
    else return
    event.preventDefault()
  }
  return (
    <ul
      ref={list}
      onKeyDown={press}
      onFocus={({ target }) => {
        at.current = list.current ? cardsOf(list.current).findIndex(card => card.contains(target)) : -1
      }}
      onBlur={({ target }) => {
        if (target.isConnected) at.current = -1
      }}
      className={clsx('grid grid-cols-[minmax(0,1fr)] gap-2.5', className)}
    >
      {children}
    </ul>
  )
}
