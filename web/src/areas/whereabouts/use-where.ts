import { queryKeyOf } from '../../app/query-keys.ts'
import { useCallback, useEffect, useMemo, useRef } from 'react'
import { keepPreviousData, replaceEqualDeep, useQuery, useQueryClient } from '@tanstack/react-query'
import { useSearchParams } from 'react-router'
import {
  listEnquiries,
  lookFor,
  readEnquiry,
  type LiveEvent,
  type WhereAnswer,
  type WhereHit,
  type WhereQuestion,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'

export const blanks = ['from', 'to', 'about', 'when'] as const
export type Blank = (typeof blanks)[number]

export const noQuestion: WhereQuestion = { from: '', to: '', about: '', when: '' }
export const isBlankQuestion = (question: WhereQuestion) => blanks.every(name => question[name] === '')

export const isEqual = (a: WhereQuestion, b: WhereQuestion) => blanks.every(name => a[name] === b[name])

/** As it stands in the address. */
export const trimmed = (question: WhereQuestion) =>
  Object.fromEntries(blanks.map(name => [name, question[name].trim()])) as WhereQuestion

/** The question and the open enquiry live in the address: a link shows the same again. */
export function useAddress() {
  const [search, setSearch] = useSearchParams()
  const question = useMemo(
    () => Object.fromEntries(blanks.map(name => [name, search.get(name) ?? ''])) as WhereQuestion,
    [search],
  )
  const enquiry = /^\d{1,9}$/.test(search.get('enquiry') ?? '') ? Number(search.get('enquiry')) : null
  const go = useCallback(
    (next: WhereQuestion, open: number | 'new' | null) => {
      const params = new URLSearchParams(Object.entries(trimmed(next)).filter(([, text]) => text !== ''))
      if (open !== null) params.set('enquiry', String(open))
      setSearch(params)
    },
    [setSearch],
  )
  return { question, enquiry, adding: search.get('enquiry') === 'new', go }
}

export const keyOf = ({ kind, id }: WhereHit) => `${kind}${id}`

/** What comes in while somebody reads stands below what they read, until they look again. */
function keepOrder(before: unknown, now: unknown): unknown {
  const [old, fresh] = [before as WhereAnswer | undefined, now as WhereAnswer]
  if (!old) return fresh
  const places = new Map(old.hits.map((hit, place) => [keyOf(hit), place]))
  const placeOf = (hit: WhereHit) => places.get(keyOf(hit)) ?? old.hits.length
  // What is the same stays the same object, as without this.
  return replaceEqualDeep(before, { ...fresh, hits: fresh.hits.toSorted((a, b) => placeOf(a) - placeOf(b)) })
}

export function useAnswer(question: WhereQuestion) {
  return useQuery({
    queryKey: queryKeyOf('where', question),
    enabled: !isBlankQuestion(question),
    queryFn: ({ signal }) => call(lookFor, { body: question, signal }),
    placeholderData: keepPreviousData,
    structuralSharing: keepOrder,
  })
}

export function useEnquiries() {
  return useQuery({
    queryKey: queryKeyOf('enquiries'),
    queryFn: ({ signal }) => call(listEnquiries, { query: {}, signal }),
  })
}

export function useEnquiry(id: number | null) {
  return useQuery({
    queryKey: queryKeyOf('enquiries', id),
    enabled: id !== null,
    queryFn: ({ signal }) => call(readEnquiry, { params: { id: id ?? 0 }, signal }),
    // Reading it says that we are here; the others see it for half a minute.
    refetchInterval: 10_000,
  })
}

/** Mail comes in many a second; a question is asked again once in so long. */
const again = 1500

/** What happens to a message that is on screen shows in place; the order stays until somebody looks again. */
export function useLiveWhereabouts(): void {
  const client = useQueryClient()
  const waiting = useRef<ReturnType<typeof setTimeout> | null>(null)
  useEffect(
    () => () => {
      if (waiting.current !== null) clearTimeout(waiting.current)
    },
    [],
  )
  useLiveEvents(
    useCallback(
      ({ kind }: LiveEvent) => {
        if (kind === 'enquiry') void client.invalidateQueries({ queryKey: queryKeyOf('enquiries') })
        if (waiting.current !== null || !['changed', 'ruled', 'came-in'].includes(kind)) return
        waiting.current = setTimeout(() => {
          waiting.current = null
          void client.invalidateQueries({ queryKey: queryKeyOf('where') })
        }, again)
      },
      [client],
    ),
  )
}
