import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { junkShown, reminders, type MailboxChange, type MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Card } from '../../parts/card.tsx'
import { useChange } from './use-mailboxes.ts'

/** Who looks at what is kept back, and what is done when nobody does. */
export function LooksCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { looks } = sheet
  const when = (at: string | null) => (at === null ? t('mailboxes.looks.never') : times.day(at))
  return (
    <Card title={t('mailboxes.looks.title')}>
      <dl className="grid grid-cols-[minmax(0,1fr)_auto] gap-y-1">
        {(['kept', 'junk'] as const).map(what => (
          <div key={what} className="col-span-2 grid grid-cols-subgrid">
            <dt>{t(`mailboxes.looks.${what}`)}</dt>
            <dd className="font-bold">{when(looks[what])}</dd>
          </div>
        ))}
        {looks.junkFolder && (
          <div className="col-span-2 grid grid-cols-subgrid">
            <dt>{t('mailboxes.looks.junkFolder')}</dt>
            <dd className="font-bold">{t('mailboxes.looks.unread', looks.junkFolder)}</dd>
          </div>
        )}
      </dl>
      <p className="mt-1 text-ink-2">
        {t('mailboxes.looks.unlooked', { count: looks.unlooked })}{' '}
        {looks.lastChance > 0 && (
          <span className="font-semibold text-amber">
            {t('mailboxes.looks.lastChance', { count: looks.lastChance })}
          </span>
        )}
      </p>
      <p className="mt-2">
        <Choices sheet={sheet} />
      </p>
    </Card>
  )
}

function Choices({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const changing = useChange(sheet, () => undefined)
  const disabled = !mayWrite(session) || changing.isPending
  const change = (one: MailboxChange) => changing.mutate({ change: one, reason: '' })
  const slots: Record<'shown' | 'reminders', ReactNode> = {
    shown: (
      <SentenceSlot
        label={t('mailboxes.looks.shownLabel')}
        text={t(`mailboxes.looks.is.${sheet.junkShown}`)}
        disabled={disabled}
        value={sheet.junkShown}
        options={junkShown.options.map(value => ({ value, text: t(`mailboxes.looks.is.${value}`) }))}
        onPick={to => to !== sheet.junkShown && change({ what: 'junk-shown', was: sheet.junkShown, to })}
      />
    ),
    reminders: (
      <SentenceSlot
        label={t('mailboxes.looks.remindersLabel')}
        text={t(`mailboxes.looks.reminds.${sheet.reminders}`)}
        disabled={disabled}
        value={sheet.reminders}
        options={reminders.options.map(value => ({
          value,
          text: t(`mailboxes.looks.reminds.${value}`),
          hint: t(`mailboxes.looks.remindsHint.${value}`),
        }))}
        onPick={to => to !== sheet.reminders && change({ what: 'reminders', was: sheet.reminders, to })}
      />
    ),
  }
  return <Sentence text={t('mailboxes.looks.says')} slots={slots} />
}
