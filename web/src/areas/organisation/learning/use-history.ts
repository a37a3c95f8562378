import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  beginAllHistory,
  beginHistory,
  readHistory,
  resumeHistory,
  stopHistory,
  undoHistory,
  type HistorySourceShape,
  type HistoryVerdictShape,
} from '@pendro/contract'
import { call, problemOf } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useAct } from '../../../app/use-act.ts'

const every = 1500

/** Older mail that there is, and how far learning from it is. */
export const useHistory = () =>
  useQuery({
    queryKey: queryKeyOf('history'),
    queryFn: ({ signal }) => call(readHistory, { signal }),
    refetchInterval: every,
  })

/** A refusal in words: what stands in the way of reading has a sentence of its own. */
function useWords() {
  const { t } = useTranslation()
  return (error: unknown): string => {
    const { code, text, facts } = problemOf(error)
    return code === 'HISTORY_SOURCE' ? t(`learning.problem.${String(facts.problem)}`) : text
  }
}

interface Begin {
  readonly mailbox: number
  readonly verdict: HistoryVerdictShape
  readonly source: HistorySourceShape
  readonly password?: string
}

export function useBegin(onDone?: () => void) {
  const { t } = useTranslation()
  const say = useWords()
  return useAct({
    send: (body: Begin) => call(beginHistory, { body }),
    notice: () => ({ text: t('learning.imap.begun') }),
    makes: 'history-changed',
    say,
    ...(onDone ? { onDone } : {}),
  })
}

export function useBeginAll() {
  const { t } = useTranslation()
  const say = useWords()
  return useAct({
    send: () => call(beginAllHistory, {}),
    notice: ({ runs }) => ({ text: t('learning.files.begun', { count: runs }) }),
    makes: 'history-changed',
    say,
  })
}

/** Stop, go on, take back. */
export function useRunActs() {
  const { t } = useTranslation()
  const say = useWords()
  const stop = useAct({
    send: (id: number) => call(stopHistory, { params: { id } }),
    makes: 'history-changed',
    say,
  })
  const resume = useAct({
    send: ({ id, password = '' }: { id: number; password?: string }) =>
      call(resumeHistory, { params: { id }, body: { password } }),
    makes: 'history-changed',
    say,
  })
  const undo = useAct({
    send: (id: number) => call(undoHistory, { params: { id } }),
    notice: () => ({ text: t('learning.runs.undoing') }),
    makes: 'history-changed',
    say,
  })
  return { stop, resume, undo }
}
