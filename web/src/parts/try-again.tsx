import { useTranslation } from 'react-i18next'
import { tryAgain, tryAllAgain } from '@pendro/contract'
import { call } from '../app/api.ts'
import { mayWrite, useSession, looksAfterAll } from '../app/session.ts'
import { useAct } from '../app/use-act.ts'
import { Button } from './buttons.tsx'

/** Sends everything that waits to the mail store now, rather than at its next time. */
export function TryAllAgain() {
  const { t } = useTranslation()
  const session = useSession()
  const trying = useAct({
    send: () => call(tryAllAgain),
    notice: ({ tried }) => ({ text: t('whereabouts.trouble.tried', { count: tried }) }),
    makes: 'ruled-from-whereabouts',
  })
  if (!mayWrite(session) || !looksAfterAll(session)) return null
  return (
    <Button disabled={trying.isPending} onClick={() => trying.mutate()}>
      {t('whereabouts.trouble.tryAll')}
    </Button>
  )
}

/** The same for one message. */
export function TryAgain({ id }: { id: number }) {
  const { t } = useTranslation()
  const session = useSession()
  const trying = useAct({
    send: () => call(tryAgain, { params: { id } }),
    notice: () => ({ text: t('whereabouts.act.triedAgain') }),
    makes: 'ruled-from-whereabouts',
  })
  if (!mayWrite(session)) return null
  return (
    <Button disabled={trying.isPending} onClick={() => trying.mutate()}>
      {t('whereabouts.act.again')}
    </Button>
  )
}
