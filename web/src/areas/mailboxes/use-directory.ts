import { useTranslation } from 'react-i18next'
import { undoMailboxChange } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import type { NewNotice } from '../../app/notices.ts'

/** A notice of an act on who has a mailbox, with its undo. */
export function useDirectoryNotice(): (text: string, act: number | null) => Omit<NewNotice, 'tone'> {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('directory.who.undone') }),
    say: error =>
      problemOf(error).code === 'MAILBOX_CHANGED' ? t('directory.who.meanwhile') : problemOf(error).text,
    makes: 'mailbox-changed',
  })
  return (text, act) => ({
    text,
    ...(act !== null && { action: { label: t('directory.who.undo'), run: () => undoing.mutate(act) } }),
  })
}
