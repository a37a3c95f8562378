import { useCallback, useMemo } from 'react'
import { useNavigate, useSearchParams } from 'react-router'
import { readFilterBy } from '../../app/url-filter.ts'
import { findingKind, senderFilter, senderOrder, type FindingKind, type SenderFilter } from '@pendro/contract'

const { shape } = senderFilter

// The screen offers what the server takes, in the same order.
export const standings = shape.standing.unwrap().options
export const owners = shape.owner.unwrap().options
export const kinds = shape.kind.unwrap().options
export const states = shape.state.unwrap().options
export const matches = shape.matched.unwrap().options
export const orders = senderOrder.options
export const findings = ['all', 'any', ...findingKind.options] as const

export interface Filter extends SenderFilter {
  readonly order: (typeof orders)[number]
}

export const usualFilter: Filter = {
  standing: 'both',
  owner: 'all',
  kind: 'any',
  state: 'live',
  finding: 'all',
  matched: 'any',
  order: 'matched',
}

const oneOf = <T extends string>(text: string | null, known: readonly T[], usual: T): T =>
  known.find(word => word === text) ?? usual

/** An address mended by hand gives the nearest filter that makes sense, never an error. */
const readFilter = (search: URLSearchParams): Filter =>
  readFilterBy({ ...shape, order: senderOrder.default(usualFilter.order) }, search)

/** What is open at the right and at the foot; the filter keeps its own names in the address. */
export type Panel = FindingKind | 'requests' | 'accuracy' | null

const filterNames = [...Object.keys(usualFilter), 'mailbox', 'find']

export function useSendersAddress() {
  const [search, setSearch] = useSearchParams()
  const navigate = useNavigate()
  const filter = useMemo(() => readFilter(search), [search])
  const panel = useMemo(
    (): Panel =>
      oneOf(search.get('panel'), [...findingKind.options, 'requests', 'accuracy', ''] as const, '') || null,
    [search],
  )
  const change = useCallback(
    (part: Partial<Filter>) =>
      setSearch(
        now => {
          const next = new URLSearchParams(now)
          const usual = usualFilter as unknown as Record<string, unknown>
          for (const name of filterNames) next.delete(name)
          for (const [name, value] of Object.entries({ ...readFilter(now), ...part }))
            if (value !== undefined && value !== '' && value !== usual[name]) next.set(name, String(value))
          return next
        },
        { replace: true },
      ),
    [setSearch],
  )
  /** Opens an entry (`null`: none) or a panel, with the filter as it is. */
  const open = useCallback(
    (where: { entry?: number | null; panel?: Panel }) => {
      const next = new URLSearchParams(search)
      next.delete('panel')
      next.delete('ask')
      if (where.panel) next.set('panel', where.panel)
      const path = where.entry ? `/senders/${where.entry}` : '/senders'
      void navigate({ pathname: path, search: next.toString() }, { replace: true })
    },
    [navigate, search],
  )
  return { filter, change, panel, open, ask: search.get('ask') ?? '', search }
}
