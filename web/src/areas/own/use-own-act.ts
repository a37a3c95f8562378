import type { UseMutationResult } from '@tanstack/react-query'
import { useAct, type ActOptions } from '../../app/use-act.ts'
import { useProblemText } from './own-session.ts'

/** An act of a colleague on their own pages; a refusal is told in their language. */
export function useOwnAct<Given = void, Answer = unknown>(
  options: Omit<ActOptions<Given, Answer>, 'say'>,
): UseMutationResult<Answer, Error, Given> {
  return useAct({ ...options, say: useProblemText() })
}
