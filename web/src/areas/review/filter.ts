import { useCallback, useMemo } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { z } from 'zod'
import { reviewFilter, reviewOrder, type ReviewFilter } from '@pendro/contract'
import { readFilterBy } from '../../app/url-filter.ts'

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
  'watched',
  'moved',
] as const satisfies readonly ReviewStates[]
export const dayChoices = [1, 3, 7, 14, 28] as const

export interface Filter extends ReviewFilter {
  readonly order: ReviewOrder
}

export const usualFilter: Filter = { states: 'kept', days: 14, from: 0, to: 100, order: 'wanted' }

const { shape } = reviewFilter
/** A text that was pasted into the search is cut, and not left out. */
const cutFind = z.preprocess(
  text => (typeof text === 'string' ? text.trim().slice(0, 200) : text),
  shape.find,
)

/** An address somebody typed or mended by hand gives the nearest filter that makes sense, never an error. */
export function readFilter(search: URLSearchParams): Filter {
  const filter = readFilterBy(
    { ...shape, order: reviewOrder.default(usualFilter.order), find: cutFind },
    search,
  )
  return filter.from < filter.to ? filter : { ...filter, from: 0, to: 100 }
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
