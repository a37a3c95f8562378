import { useCallback, useMemo } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import type { ReviewFilter } from '@pendro/contract'

export type ReviewStates = ReviewFilter['states']
export const orders = ['wanted', 'newest', 'oldest', 'expiring'] as const
type ReviewOrder = (typeof orders)[number]
export const stateChoices = [
  'kept',
  'quarantined',
  'junk',
  'sealed',
  'waiting',
  'released',
  'discarded',
  'inspecting',
  'delivered',
] as const satisfies readonly ReviewStates[]
export const dayChoices = [1, 3, 7, 14, 28] as const

export interface Filter extends ReviewFilter {
  readonly order: ReviewOrder
}

export const usualFilter: Filter = { states: 'kept', days: 14, from: 0, to: 100, order: 'wanted' }

const within = (text: string | null, low: number, high: number, usual: number): number => {
  const n = Number(text)
  return text !== null && text !== '' && Number.isFinite(n) && n >= low && n <= high ? n : usual
}

const oneOf = <T extends string>(text: string | null, known: readonly T[], usual: T): T =>
  known.find(word => word === text) ?? usual

/** An address somebody typed or mended by hand gives the nearest filter that makes sense, never an error. */
export function readFilter(search: URLSearchParams): Filter {
  const from = within(search.get('from'), 0, 100, 0)
  const to = within(search.get('to'), 0, 100, 100)
  const mailbox = within(search.get('mailbox'), 1, Number.MAX_SAFE_INTEGER, 0)
  const find = search.get('find')?.trim().slice(0, 200)
  return {
    states: oneOf(search.get('states'), stateChoices, usualFilter.states),
    days: Math.round(within(search.get('days'), 1, 366, usualFilter.days)),
    order: oneOf(search.get('order'), orders, usualFilter.order),
    ...(from < to ? { from, to } : { from: 0, to: 100 }),
    ...(mailbox > 0 ? { mailbox: Math.round(mailbox) } : {}),
    ...(find ? { find } : {}),
  }
}

/** Only what differs from the usual filter stands in the address. */
export function writeFilter(filter: Filter): URLSearchParams {
  const search = new URLSearchParams()
  const usual = usualFilter as unknown as Record<string, unknown>
  for (const [name, value] of Object.entries(filter)) {
    if (value !== undefined && value !== '' && value !== usual[name]) search.set(name, String(value))
  }
  return search
}

export function useFilter(): { filter: Filter; change: (part: Partial<Filter>) => void } {
  const [search] = useSearchParams()
  const navigate = useNavigate()
  const filter = useMemo(() => readFilter(search), [search])
  // Another list begins at its own first message: the address no longer names one.
  const change = useCallback(
    (part: Partial<Filter>) =>
      void navigate(
        { pathname: '/review', search: writeFilter({ ...filter, ...part }).toString() },
        { replace: true },
      ),
    [filter, navigate],
  )
  return { filter, change }
}
