import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { MailboxChange, MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Card } from '../../parts/card.tsx'
import { useChange, useEffectOfChange } from './use-mailboxes.ts'

/** Whether mail is held by its score, and whether bulk mail is set aside. */
export function FilteringCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const [asked, setAsked] = useState(false)
  const changing = useChange(sheet, () => setAsked(false))
  const may = mayWrite(session)
  const change = (one: MailboxChange, reason = '') => changing.mutate({ change: one, reason })
  const { filtering, setAside } = sheet
  return (
    <Card title={t('mailboxes.filtering.title')}>
      <p className={filtering ? '' : 'font-semibold text-stop'}>
        {t(filtering ? 'mailboxes.filtering.on' : 'mailboxes.filtering.off')}
      </p>
      <p className="mt-1 text-ink-2">
        {t(setAside ? 'mailboxes.filtering.setAside' : 'mailboxes.filtering.noSetAside')}
      </p>
      {may && (
        <p className="mt-2 flex flex-wrap gap-x-5 gap-y-1">
          <Button
            kind="link"
            disabled={changing.isPending}
            onClick={() => (filtering ? setAsked(true) : change({ what: 'filtering', was: false, to: true }))}
          >
            {t(filtering ? 'mailboxes.filtering.switchOff' : 'mailboxes.filtering.switchOn')}
          </Button>
          <Button
            kind="link"
            disabled={changing.isPending}
            onClick={() => change({ what: 'set-aside', was: setAside, to: !setAside })}
          >
            {t(setAside ? 'mailboxes.filtering.setAsideOff' : 'mailboxes.filtering.setAsideOn')}
          </Button>
        </p>
      )}
      <Dialog
        open={asked}
        onOpenChange={setAsked}
        title={t('mailboxes.filtering.offTitle', { name: sheet.mailbox.name })}
        text={t('mailboxes.filtering.offText')}
      >
        <WouldArrive mailboxId={sheet.mailbox.id} />
        <ApplyBar
          disabled={changing.isPending}
          onApply={reason => change({ what: 'filtering', was: true, to: false }, reason)}
          onCancel={() => setAsked(false)}
        />
      </Dialog>
    </Card>
  )
}

const off: MailboxChange = { what: 'filtering', was: true, to: false }

function WouldArrive({ mailboxId }: { mailboxId: number }) {
  const { t } = useTranslation()
  const { data } = useEffectOfChange(mailboxId, off)
  if (!data?.replay) return <p className="mt-3 text-ink-2">{t('change.looking')}</p>
  const { wanted, doubtful, harmful } = data.replay.letThrough
  return (
    <p className="mt-3 font-semibold">
      {t('mailboxes.filtering.arrives', { count: wanted + doubtful + harmful, harmful })}
    </p>
  )
}
