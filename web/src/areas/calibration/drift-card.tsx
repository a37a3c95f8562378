import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { z } from 'zod'
import { setDriftAside, type DriftFinding } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { inputStyle } from '../../parts/field.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Card } from '../../parts/card.tsx'

const first = 5

/** Which mail is looked at: a finding is one of it. */
type Seen = Pick<z.input<typeof setDriftAside.body>, 'days' | 'department'>

/** Where people ruled against judgement more often than elsewhere, each with what would mend it. */
export function DriftCard({
  findings,
  of,
  may,
}: {
  findings: readonly DriftFinding[]
  of: Seen
  may: boolean
}) {
  const { t } = useTranslation()
  const [whole, setWhole] = useState(false)
  const open = findings.filter(({ aside }) => aside === null)
  const left = findings.filter(({ aside }) => aside !== null)
  return (
    <Card title={t('calibration.drift.title')}>
      <p className="mb-2 text-ink-2">
        {t(open.length === 0 ? 'calibration.drift.none' : 'calibration.drift.text')}
      </p>
      <ul>
        {(whole ? open : open.slice(0, first)).map(finding => (
          <Finding key={finding.key} finding={finding} of={of} may={may} />
        ))}
      </ul>
      {!whole && open.length > first && (
        <Button kind="link" className="mt-2" onClick={() => setWhole(true)}>
          {t('calibration.drift.more', { count: open.length })}
        </Button>
      )}
      {left.length > 0 && (
        <details className="mt-2">
          <summary>{t('calibration.drift.left', { count: left.length })}</summary>
          <ul>
            {left.map(finding => (
              <Finding key={finding.key} finding={finding} of={of} may={may} />
            ))}
          </ul>
        </details>
      )}
    </Card>
  )
}

function useName() {
  const { t, i18n } = useTranslation()
  const languages = new Intl.DisplayNames(i18n.language, { type: 'language', fallback: 'code' })
  return ({ kind, value }: DriftFinding): string => {
    if (kind === 'sender') return t('calibration.drift.sender', { sender: value })
    if (kind === 'language')
      return t('calibration.drift.language', { language: languages.of(value) ?? value })
    return t(`calibration.drift.mail.${value}`)
  }
}

function Finding({ finding, of, may }: { finding: DriftFinding; of: Seen; may: boolean }) {
  const { t } = useTranslation()
  const times = useTimes()
  const nameOf = useName()
  const [asks, setAsks] = useState(false)
  const { rulings, wrong, held, missed, examples, remedy, aside } = finding
  const setAside = useAct({
    send: (given: { reason: string; back: boolean }) =>
      call(setDriftAside, { body: { key: finding.key, ...of, ...given } }),
    onDone: () => setAsks(false),
    makes: 'mailbox-changed',
  })
  return (
    <li className="border-t border-line py-2">
      <p>
        <Sentence text={t('calibration.drift.finding', { name: nameOf(finding), wrong, rulings })} />{' '}
        {held > 0 && t('calibration.drift.held', { count: held })}{' '}
        {missed > 0 && t('calibration.drift.missed', { count: missed })}
      </p>
      <ul className="text-[0.95rem]">
        {examples.slice(0, 3).map(({ id, from, subject }) => (
          <li key={id} className="truncate">
            <Link to={`/review/${id}`} className="border-b border-line-strong hover:border-current">
              {subject || '–'}
            </Link>{' '}
            <span className="text-ink-2">{from}</span>
          </li>
        ))}
      </ul>
      {aside && (
        <p className="text-ink-2">
          {t('calibration.drift.asideBy', { by: aside.by, day: times.day(aside.at), reason: aside.reason })}
        </p>
      )}
      {may && (
        <p className="mt-1 flex flex-wrap items-baseline gap-x-4 gap-y-1">
          {remedy && !aside && (
            <Link
              to={`/senders?new=${remedy.standing}&pattern=${encodeURIComponent(remedy.pattern)}`}
              className="border-b border-current font-semibold text-petrol"
            >
              {t(`calibration.drift.${remedy.standing}`, { pattern: remedy.pattern })}
            </Link>
          )}
          {!remedy && !aside && <span className="text-ink-2">{t('calibration.drift.rule')}</span>}
          {aside ? (
            <Button kind="link" onClick={() => setAside.mutate({ reason: '', back: true })}>
              {t('calibration.drift.back')}
            </Button>
          ) : (
            <Button kind="link" onClick={() => setAsks(!asks)}>
              {t('calibration.drift.aside')}
            </Button>
          )}
        </p>
      )}
      {asks && <WhyAside onDone={reason => setAside.mutate({ reason, back: false })} />}
    </li>
  )
}

function WhyAside({ onDone }: { onDone: (reason: string) => void }) {
  const { t } = useTranslation()
  const [reason, setReason] = useState('')
  return (
    <form
      className="mt-2 flex flex-wrap gap-2"
      onSubmit={event => {
        event.preventDefault()
        onDone(reason)
      }}
    >
      <input
        value={reason}
        maxLength={1000}
        aria-label={t('calibration.drift.why')}
        placeholder={t('calibration.drift.why')}
        onChange={({ target }) => setReason(target.value)}
        className={`${inputStyle} min-w-0 flex-1`}
      />
      <Button type="submit" disabled={reason.trim() === ''}>
        {t('calibration.drift.aside')}
      </Button>
    </form>
  )
}
