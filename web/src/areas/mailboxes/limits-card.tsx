import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { areLimits, type MailboxChange, type MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Card } from '../../parts/card.tsx'
import { LimitsArc, type Limits } from './limits-arc.tsx'
import { LimitsFields } from './limits-fields.tsx'
import { Replay } from './replay.tsx'
import { useChange, useEffectOfChange } from './use-mailboxes.ts'

const same = (a: Limits | null, b: Limits | null) => JSON.stringify(a) === JSON.stringify(b)

/** Limits on the arc: dragged, typed, at a ready position or as the organisation has them, with the month decided again. */
export function LimitsCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const { organisation, limits: saved } = sheet
  /** `undefined`: nothing is thought about. */
  const [draft, setDraft] = useState<Limits | null | undefined>(undefined)
  const wanted = draft === undefined ? saved : draft
  const shown = wanted ?? organisation.limits
  const isOther = draft !== undefined && !same(draft, saved) && areLimits(shown)
  const change: MailboxChange | null = isOther ? { what: 'limits', was: saved, to: draft } : null
  const settled = useDelayed(change, 120)
  const effect = useEffectOfChange(sheet.mailbox.id, settled)
  const changing = useChange(sheet, () => setDraft(undefined))
  const may = mayWrite(session)
  return (
    <Card
      title={t('mailboxes.limits.title')}
      more={
        wanted === null ? (
          <span className="text-ink-2">{t('mailboxes.limits.asOrganisation')}</span>
        ) : may ? (
          <Button kind="link" onClick={() => setDraft(null)}>
            {t('mailboxes.asOrganisation')}
          </Button>
        ) : (
          <span className="text-ink-2">{t('mailboxes.limits.own')}</span>
        )
      }
    >
      <div className="grid gap-x-5 gap-y-2 min-[1100px]:grid-cols-[minmax(0,250px)_minmax(0,1fr)]">
        <LimitsArc limits={shown} disabled={!may} onChange={setDraft} />
        <div className="grid content-center gap-2">
          <p>
            <Sentence text={t('mailboxes.limits.says', { ...shown })} />{' '}
            {wanted !== null && (
              <span className="text-ink-2">{t('mailboxes.limits.usual', { ...organisation.limits })}</span>
            )}
          </p>
        </div>
      </div>
      {may && <LimitsFields limits={shown} onChange={setDraft} />}
      {isOther && (
        <div className="mt-3 border-t border-line pt-3" aria-live="polite">
          <Replay effect={effect} />
          <ApplyBar
            disabled={changing.isPending}
            onApply={reason => change && changing.mutate({ change, reason })}
            onCancel={() => setDraft(undefined)}
          />
        </div>
      )}
    </Card>
  )
}
