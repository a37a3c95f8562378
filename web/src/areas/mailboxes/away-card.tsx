import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { awayPeriod, type AwayPeriod, type MailboxChange, type MailboxSheet } from '@pendro/contract'
import { problemOf } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { TextField } from '../../parts/field.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { AwayLine } from './away-line.tsx'
import { Card } from '../../parts/card.tsx'
import { Ends } from './keeping-card.tsx'
import { useChange, useEffectOfChange } from './use-mailboxes.ts'

/** What the server is sent of the times away there are. */
const plain = ({ from, back, note, digestsTo }: AwayPeriod): AwayPeriod => ({ from, back, note, digestsTo })

/** When the colleague is away, with what that holds; another time is entered in a dialog that shows it before. */
export function AwayCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const [open, setOpen] = useState(false)
  const removing = useChange(sheet, () => undefined)
  const may = mayWrite(session)
  const was = sheet.away.map(plain)
  return (
    <Card
      title={t('mailboxes.away.title')}
      more={
        may && (
          <Button kind="link" onClick={() => setOpen(true)}>
            {t('mailboxes.away.add')}
          </Button>
        )
      }
    >
      {sheet.away.length === 0 ? (
        <p className="text-ink-2">{t('mailboxes.away.nothingYet')}</p>
      ) : (
        <>
          <AwayLine sheet={sheet} />
          <ul className="mt-1">
            {sheet.away.map((one, i) => (
              <Period
                key={one.from}
                period={one}
                disabled={removing.isPending}
                onRemove={
                  may
                    ? () =>
                        removing.mutate({
                          change: { what: 'away', was, to: was.filter((_, n) => n !== i) },
                          reason: '',
                        })
                    : null
                }
              />
            ))}
          </ul>
        </>
      )}
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title={t('mailboxes.away.dialog', { name: sheet.mailbox.name })}
        text={t('mailboxes.away.text')}
      >
        <Editor sheet={sheet} was={was} onDone={() => setOpen(false)} />
      </Dialog>
    </Card>
  )
}

interface PeriodProps {
  readonly period: MailboxSheet['away'][number]
  readonly disabled: boolean
  /** `null` for those who only look. */
  readonly onRemove: (() => void) | null
}

function Period({ period, disabled, onRemove }: PeriodProps) {
  const { t } = useTranslation()
  const times = useTimes()
  const day = (date: string) => times.day(`${date}T12:00:00Z`)
  const { from, back, note, digestsTo, digestsToName } = period
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 py-0.5">
      <b>{t('mailboxes.away.period', { from: day(from), back: day(back) })}</b>
      <span className="text-ink-2">
        {digestsTo === null ? t('mailboxes.away.waits') : t('mailboxes.away.goTo', { name: digestsToName })}
      </span>
      {note !== '' && <span className="text-ink-2">“{note}”</span>}
      {onRemove && (
        <Button kind="link" className="ml-auto" disabled={disabled} onClick={onRemove}>
          {t('mailboxes.away.remove', { from: day(from), back: day(back) })}
        </Button>
      )}
    </li>
  )
}

interface EditorProps {
  readonly sheet: MailboxSheet
  readonly was: readonly AwayPeriod[]
  readonly onDone: () => void
}

function Editor({ sheet, was, onDone }: EditorProps) {
  const times = useTimes()
  const [period, setPeriod] = useState<AwayPeriod>({
    from: times.isoDay(new Date()),
    back: '',
    note: '',
    digestsTo: null,
  })
  const set = (part: Partial<AwayPeriod>) => setPeriod(now => ({ ...now, ...part }))
  const isWhole = awayPeriod.safeParse(period).success && period.back > period.from
  const change: MailboxChange | null = isWhole ? { what: 'away', was: [...was], to: [...was, period] } : null
  const effect = useEffectOfChange(sheet.mailbox.id, useDelayed(change, 200))
  const changing = useChange(sheet, onDone)
  return (
    <>
      <Fields period={period} onChange={set} />
      <div aria-live="polite">
        {change &&
          (effect.error ? (
            <p className="text-stop">{problemOf(effect.error).text}</p>
          ) : (
            <Ends effect={effect.data} kind="away" />
          ))}
      </div>
      <ApplyBar
        disabled={change === null || changing.isPending}
        onApply={reason => change && changing.mutate({ change, reason })}
        onCancel={onDone}
      />
    </>
  )
}

interface FieldsProps {
  readonly period: AwayPeriod
  readonly onChange: (part: Partial<AwayPeriod>) => void
}

function Fields({ period, onChange }: FieldsProps) {
  const { t } = useTranslation()
  return (
    <div className="my-4 grid grid-cols-2 gap-4">
      <TextField
        label={t('mailboxes.away.from')}
        type="date"
        value={period.from}
        onChange={event => onChange({ from: event.target.value })}
      />
      <TextField
        label={t('mailboxes.away.back')}
        type="date"
        min={period.from}
        value={period.back}
        onChange={event => onChange({ back: event.target.value })}
      />
      <TextField
        label={t('mailboxes.away.note')}
        className="col-span-2"
        value={period.note}
        maxLength={200}
        onChange={event => onChange({ note: event.target.value })}
      />
      <p className="col-span-2">
        {t('mailboxes.away.digests')}{' '}
        <MailboxSlot
          mailbox={period.digestsTo ?? undefined}
          nobody={t('mailboxes.away.wait')}
          label={t('mailboxes.away.digests')}
          onPick={id => onChange({ digestsTo: id ?? null })}
        />
      </p>
    </div>
  )
}
