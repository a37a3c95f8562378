import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeMailboxes,
  closeMailbox,
  findMailboxes,
  reopenMailbox,
  type MailboxSheet,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { maySteer, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { TextField } from '../../parts/field.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { EntryForm, typedOf, type Line } from './entry-form.tsx'
import { useDirectoryNotice } from './use-directory.ts'

type Mailbox = MailboxSheet['mailbox']

/** Who a mailbox is, for those who may change it; that it is closed, for everybody. */
export function WhoCard({ mailbox }: { mailbox: Mailbox }) {
  const { t } = useTranslation()
  const may = maySteer(useSession())
  const [open, setOpen] = useState<'who' | 'close' | null>(null)
  const { closed } = mailbox
  if (!may && closed === null) return null
  if (closed === null && open === null)
    return (
      <p className="mb-3 flex flex-wrap gap-x-5">
        <Button kind="link" onClick={() => setOpen('who')}>
          {t('directory.who.edit')}
        </Button>
        <Button kind="link" onClick={() => setOpen('close')}>
          {t('directory.close.title')}
        </Button>
      </p>
    )
  return (
    <Card title={t(open === 'close' ? 'directory.close.title' : 'directory.who.title')} className="mb-3">
      {closed && <Closed mailbox={mailbox} closed={closed} may={may} />}
      {open === 'who' && <Change mailbox={mailbox} onDone={() => setOpen(null)} />}
      {open === 'close' && closed === null && <Close mailbox={mailbox} onDone={() => setOpen(null)} />}
    </Card>
  )
}

/** Minders are named by their addresses, which the sheet does not tell. */
function Change({ mailbox, onDone }: { mailbox: Mailbox; onDone: () => void }) {
  const { t } = useTranslation()
  const told = useDirectoryNotice()
  const minders = useQuery({
    queryKey: queryKeyOf('mailbox', mailbox.id, 'minders'),
    queryFn: ({ signal }) =>
      Promise.all(mailbox.minders.map(({ id }) => call(findMailboxes, { query: { id }, signal }))).then(
        found => found.flatMap(({ mailboxes }) => mailboxes.map(({ address }) => address)),
      ),
  })
  const changing = useAct({
    send: (line: Line) =>
      call(changeMailboxes, { body: { lines: [line], reason: '', token: crypto.randomUUID() } }),
    notice: ({ act }) => told(t('directory.who.changed'), act),
    onDone,
    makes: 'mailbox-changed',
  })
  if (!minders.data) return null
  return (
    <EntryForm
      id={mailbox.id}
      first={typedOf(mailbox, minders.data)}
      go={t('directory.who.save')}
      busy={changing.isPending}
      onSend={line => changing.mutate(line)}
      onCancel={onDone}
    />
  )
}

function Close({ mailbox: { id }, onDone }: { mailbox: Mailbox; onDone: () => void }) {
  const { t } = useTranslation()
  const told = useDirectoryNotice()
  const [to, setTo] = useState<number | undefined>()
  const [reason, setReason] = useState('')
  const closing = useAct({
    send: () =>
      call(closeMailbox, { params: { id }, body: { to: to ?? null, reason, token: crypto.randomUUID() } }),
    notice: ({ act }) => told(t('directory.close.done'), act),
    onDone,
    makes: 'mailbox-changed',
  })
  return (
    <form
      className="mt-2 grid gap-3"
      onSubmit={event => {
        event.preventDefault()
        closing.mutate()
      }}
    >
      <p className="text-ink-2">{t('directory.close.text')}</p>
      <p>
        {t('directory.close.to')}:{' '}
        <MailboxSlot
          mailbox={to}
          label={t('directory.close.to')}
          nobody={t('directory.close.nobody')}
          onPick={picked => setTo(picked === id ? undefined : picked)}
        />
      </p>
      <TextField
        label={t('directory.close.reason')}
        value={reason}
        maxLength={1000}
        onChange={({ target }) => setReason(target.value)}
      />
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={closing.isPending}>
          {t('directory.close.go')}
        </Button>
        <Button onClick={onDone}>{t('directory.who.cancel')}</Button>
      </p>
    </form>
  )
}

function Closed({
  mailbox: { id },
  closed: { at, to },
  may,
}: {
  mailbox: Mailbox
  closed: NonNullable<Mailbox['closed']>
  may: boolean
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const told = useDirectoryNotice()
  const opening = useAct({
    send: () => call(reopenMailbox, { params: { id }, body: { reason: '', token: crypto.randomUUID() } }),
    notice: ({ act }) => told(t('directory.close.reopened'), act),
    makes: 'mailbox-changed',
  })
  const day = times.day(at)
  return (
    <p className="flex flex-wrap items-baseline gap-x-4 gap-y-1">
      <b className="text-amber">
        {to ? t('directory.close.sinceTo', { day, name: to.name }) : t('directory.close.since', { day })}
      </b>
      {may && (
        <Button disabled={opening.isPending} onClick={() => opening.mutate()}>
          {t('directory.close.reopen')}
        </Button>
      )}
    </p>
  )
}
