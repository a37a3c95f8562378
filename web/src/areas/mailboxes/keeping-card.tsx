import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { keptDays, type ChangeEffect, type MailboxChange, type MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Card } from '../../parts/card.tsx'
import { useChange, useEffectOfChange } from './use-mailboxes.ts'

const kinds = ['quarantined', 'junk', 'discarded'] as const
type Days = MailboxSheet['organisation']['keep']

/** How long each kind of kept mail stays. */
export function KeepingCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const [open, setOpen] = useState(false)
  const days = sheet.keeping ?? sheet.organisation.keep
  return (
    <Card
      title={t('mailboxes.keeping.title')}
      more={
        mayWrite(session) && (
          <Button kind="link" onClick={() => setOpen(true)}>
            {t('mailboxes.keeping.change')}
          </Button>
        )
      }
    >
      <dl className="grid grid-cols-[minmax(0,1fr)_auto] gap-y-1">
        {kinds.map(kind => (
          <div key={kind} className="col-span-2 grid grid-cols-subgrid">
            <dt>{t(`mailboxes.keeping.kind.${kind}`)}</dt>
            <dd className="font-bold">{t('mailboxes.keeping.days', { count: days[kind] })}</dd>
          </div>
        ))}
      </dl>
      <p className="mt-1 text-[0.92rem] text-ink-2">
        {t(sheet.keeping === null ? 'mailboxes.limits.asOrganisation' : 'mailboxes.limits.own')}
      </p>
      <Dialog
        open={open}
        onOpenChange={setOpen}
        title={t('mailboxes.keeping.dialog', { name: sheet.mailbox.name })}
        text={t('mailboxes.keeping.text')}
      >
        <Editor sheet={sheet} onDone={() => setOpen(false)} />
      </Dialog>
    </Card>
  )
}

function Editor({ sheet, onDone }: { sheet: MailboxSheet; onDone: () => void }) {
  const { t } = useTranslation()
  const { keeping: saved, organisation } = sheet
  const [draft, setDraft] = useState<Days | null>(saved)
  const shown = draft ?? organisation.keep
  const isOther = JSON.stringify(draft) !== JSON.stringify(saved) && keptDays.safeParse(shown).success
  const change: MailboxChange | null = isOther ? { what: 'keeping', was: saved, to: draft } : null
  const effect = useEffectOfChange(sheet.mailbox.id, useDelayed(change, 200))
  const changing = useChange(sheet, onDone)
  return (
    <>
      <div className="my-4 flex flex-wrap items-end gap-4">
        <DaysFields days={shown} onChange={setDraft} />
        {draft !== null && (
          <Button kind="link" onClick={() => setDraft(null)}>
            {t('mailboxes.asOrganisation')}
          </Button>
        )}
      </div>
      <div aria-live="polite">{change && <Ends effect={effect.data} kind="keeping" />}</div>
      <ApplyBar
        disabled={change === null || changing.isPending}
        onApply={reason => change && changing.mutate({ change, reason })}
        onCancel={onDone}
      />
    </>
  )
}

/** Days of each kind, typed. */
export function DaysFields({ days, onChange }: { days: Days; onChange: (days: Days) => void }) {
  const { t } = useTranslation()
  return (
    <>
      {kinds.map(kind => (
        <label key={kind} className="text-[0.95rem] text-ink-2">
          {t(`mailboxes.keeping.kind.${kind}`)}
          <input
            type="number"
            min={7}
            max={365}
            value={Number.isNaN(days[kind]) ? '' : days[kind]}
            onChange={({ target }) => onChange({ ...days, [kind]: Math.round(target.valueAsNumber) })}
            className="mt-0.5 block w-24 rounded-md border border-line-strong bg-raised px-2 py-1.5 text-ink"
          />
        </label>
      ))}
    </>
  )
}

/** What goes away sooner or later than it would have. */
export function Ends({
  effect,
  kind,
}: {
  effect: ChangeEffect | null | undefined
  kind: 'keeping' | 'away'
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const ends = effect?.ends
  if (!ends) return <p className="text-ink-2">{t('change.looking')}</p>
  const { sooner, later, atOnce, wanted, first } = ends
  const parts = [
    ...(sooner > 0 && first !== null
      ? [t(`mailboxes.${kind}.sooner`, { count: sooner, first: times.day(first) })]
      : []),
    ...(atOnce > 0 ? [t('mailboxes.keeping.atOnce', { count: atOnce, wanted })] : []),
    ...(later > 0 ? [t(`mailboxes.${kind}.later`, { count: later })] : []),
  ]
  return (
    <p className={atOnce > 0 ? 'text-stop' : ''}>
      <Sentence text={parts.length > 0 ? parts.join(' ') : t('mailboxes.keeping.same')} />
    </p>
  )
}
