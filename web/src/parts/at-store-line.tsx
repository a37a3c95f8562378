import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { standsOf, useAtStore } from './use-at-store.ts'

const link = 'border-b border-current text-petrol hover:text-ink'

interface Props {
  readonly mailbox: number
  /** Says something only where somebody has to look. */
  readonly onlyTrouble?: boolean
}

/** One line beside the rules of a mailbox: whether the mail store has them, too. Nothing where it keeps none. */
export function AtStoreLine({ mailbox, onlyTrouble = false }: Props) {
  const { t } = useTranslation()
  const { data } = useAtStore(mailbox)
  if (!data?.keeps) return null
  const stands = standsOf(data)
  const isWell = stands === 'kept' && !data.answersTwice && data.left.length === 0
  const needsSomebody =
    stands === 'changed' || stands === 'not-run' || stands === 'trouble' || data.answersTwice
  if (onlyTrouble && !needsSomebody) return null
  return (
    <p
      role="status"
      className={clsx(needsSomebody ? 'font-semibold text-amber' : 'text-ink-2', onlyTrouble && 'mb-2')}
    >
      {t(`atStore.line.${stands}`)}{' '}
      <Link to={`/mailboxes/${mailbox}/rules/store`} className={link}>
        {t(`atStore.see.${isWell ? 'kept' : 'other'}`)}
      </Link>
    </p>
  )
}
