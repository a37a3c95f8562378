import { useCallback, useMemo } from 'react'
import { useSearchParams } from 'react-router'
import { listMailboxes } from '@pendro/contract'
import { readFilterBy } from '../../app/url-filter.ts'

const { kind, department, trait, find, order } = listMailboxes.query.shape
const shape = { kind, department, trait, find, order }

// The screen offers what the server takes, in the same order.
export const kinds = kind.unwrap().options
export const traits = trait.unwrap().options
export const orders = order.unwrap().options

export interface Filter {
  readonly kind: (typeof kinds)[number]
  readonly department: string
  readonly trait: (typeof traits)[number]
  readonly find: string
  readonly order: (typeof orders)[number]
}

const usual: Filter = { kind: 'any', department: '', trait: 'all', find: '', order: 'name' }

export const readFilter = (search: URLSearchParams): Filter => ({ ...usual, ...readFilterBy(shape, search) })

/** The filter as it stands in the address, and what changes a part of it. */
export function useFilter() {
  const [search, setSearch] = useSearchParams()
  const filter = useMemo(() => readFilter(search), [search])
  const change = useCallback(
    (part: Partial<Filter>) =>
      setSearch(
        now => {
          const next = new URLSearchParams()
          for (const [name, value] of Object.entries({ ...readFilter(now), ...part }))
            if (value !== usual[name as keyof Filter]) next.set(name, value)
          return next
        },
        { replace: true },
      ),
    [setSearch],
  )
  return { filter, change, search: search.toString() }
}
