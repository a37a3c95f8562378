import { useMutation, useQueryClient, type UseMutationResult } from '@tanstack/react-query'
import { problemOf } from './api.ts'
import { useNotices, type NewNotice } from './notices.ts'
import { makeStale, type Happening } from './query-keys.ts'

export interface ActOptions<Given, Answer> {
  /** Sends it; what it throws is told at the foot of the screen. */
  readonly send: (given: Given) => Promise<Answer>
  /** What is told when it is done, with the undo where there is one; `null` for nothing. */
  readonly notice?: (answer: Answer, given: Given) => Omit<NewNotice, 'tone'> | null
  /** By which it makes answers stale (query-keys.ts), whether it worked or not: a refusal, too, says that the screen was behind. */
  readonly makes?: Happening
  /** Further consequences on the screen. */
  readonly onDone?: (answer: Answer, given: Given) => void
  /** Shows a refusal where it was asked instead of at the foot. */
  readonly quiet?: boolean
  /** A refusal in words; without it in those of the server. */
  readonly say?: (error: unknown) => string
}

/** An act of whoever is signed in: sent once, told when it is done or refused, and what it changed is read anew. */
export function useAct<Given = void, Answer = unknown>({
  send,
  notice,
  makes,
  onDone,
  quiet = false,
  say = error => problemOf(error).text,
}: ActOptions<Given, Answer>): UseMutationResult<Answer, Error, Given> {
  const client = useQueryClient()
  const show = useNotices(state => state.show)
  return useMutation<Answer, Error, Given>({
    mutationFn: send,
    onSuccess: (answer, given) => {
      const told = notice?.(answer, given)
      if (told) show({ tone: 'done', ...told })
      onDone?.(answer, given)
    },
    onError: error => {
      if (!quiet) show({ tone: 'problem', text: say(error) })
    },
    onSettled: () => {
      if (makes) void makeStale(client, makes)
    },
  })
}
