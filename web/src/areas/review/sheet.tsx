import { Fragment } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { endsByItself, isUndecided, type DeliverySheet } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { problemWords } from '../../parts/hand-over.ts'
import { Pendulum } from '../../parts/pendulum.tsx'
import { DecisionPath } from '../../parts/decision-path.tsx'
import { EvidenceBars } from '../../parts/evidence-bars.tsx'
import { TryAgain } from '../../parts/try-again.tsx'
import { KeepLonger } from './keep-longer.tsx'
import { EraseForGood } from './erase.tsx'
import { MessageView } from './message-view.tsx'

/** Who wrote to whom, and the message itself: what a staffer reads first. */
export function MessageSide({ sheet }: { sheet: DeliverySheet }) {
  return (
    <article className="flex min-h-full flex-col">
      <div className="border-b border-line px-5 pt-3 pb-2.5">
        <Heading sheet={sheet} />
        <Whereabout sheet={sheet} />
      </div>
      <MessageView key={sheet.row.id} sheet={sheet} />
    </article>
  )
}

/** What weighs on it, what decided, and what has become of it. */
export function ReasonsSide({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const { row, evidence, path } = sheet
  const scored = path.find(({ stage }) => stage === 'score')?.facts
  return (
    <div className="px-4 pt-3 pb-5">
      <div className="flex items-center gap-3">
        <Pendulum key={row.id} score={row.score} size="sheet" swings />
        <div className="min-w-0">
          <p className="font-bold">
            {t(`sheet.limit.${String(scored?.verdict ?? 'under')}`, {
              score: Math.round(row.score),
              limit: scored?.limit,
              name: row.mailboxName,
            })}
          </p>
          <p className="text-[0.95rem] text-ink-2">
            {t(`provenance.${sheet.provenance.kind}`, sheet.provenance.facts)}
          </p>
        </div>
      </div>
      <EvidenceBars evidence={evidence} score={row.score} />
      <DecisionPath path={path} name={row.mailboxName} brief />
      {sheet.alike && <Alike alike={sheet.alike} />}
      <Checks checks={sheet.checks} />
      <History sheet={sheet} />
    </div>
  )
}

function Heading({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { size } = useNumbers()
  const { row } = sheet
  const used =
    sheet.addressUsed.toLowerCase() === sheet.mailboxAddress
      ? ''
      : t('sheet.sentTo', { address: sheet.addressUsed })
  const facts = [
    times.full(row.receivedAt),
    size(sheet.size),
    row.attachments > 0 ? t('review.attachments', { count: row.attachments }) : '',
    endsByItself(row.state) ? t('sheet.goesAway', { day: times.day(row.expiresAt) }) : '',
  ].filter(text => text !== '')
  const apart = [
    sheet.replyTo !== '' && sheet.replyTo !== row.fromAddress
      ? t('sheet.replyTo', { address: sheet.replyTo })
      : '',
    sheet.envelopeFrom !== '' && sheet.envelopeFrom.toLowerCase() !== row.fromAddress
      ? t('sheet.envelope', { address: sheet.envelopeFrom })
      : '',
    sheet.listId === '' ? '' : t('sheet.list', { id: sheet.listId }),
    used,
  ].filter(text => text !== '')
  return (
    <header className="flex items-start gap-4">
      <div className="min-w-0 flex-1">
        <h2
          className="line-clamp-3 font-serif text-[1.24rem] leading-snug font-semibold break-words"
          title={row.subject}
        >
          {row.subject || t('review.noSubject')}
        </h2>
        <p className="text-[0.98rem] text-ink-2">
          {row.fromName} <span className="font-mono text-ink">{row.fromAddress || t('review.noSender')}</span>{' '}
          {t('sheet.to')} <ColleagueLink id={row.mailboxId} name={sheet.mailboxAddress} mono />
        </p>
        <p className="text-[0.95rem] text-ink-2" title={times.inZone(row.receivedAt, sheet.mailboxTimeZone)}>
          {facts.join(' · ')} <KeepLonger sheet={sheet} />
        </p>
        {apart.length > 0 && <p className="text-[0.95rem] text-ink-2">{apart.join(' · ')}</p>}
      </div>
    </header>
  )
}

/** What was checked of the sender, method by method; closed at first, since the sentence above says what follows. */
function Checks({ checks: { by, lines } }: { checks: DeliverySheet['checks'] }) {
  const { t } = useTranslation()
  return (
    <details className="mt-4 text-[0.95rem]">
      <summary className="w-fit cursor-pointer text-ink-2 underline decoration-dotted underline-offset-2 hover:text-ink">
        {t('checks.title')}
      </summary>
      <p className="mt-1">{t(`checks.by.${by}`)}</p>
      <dl className="mt-1 grid grid-cols-[auto_1fr] gap-x-4">
        {lines.map(({ method, result, domain }, i) => (
          <Fragment key={`${method} ${i}`}>
            <dt className="font-semibold">{t(`checks.method.${method}`)}</dt>
            <dd className="min-w-0 break-words">
              {t(`checks.result.${result}`)}
              {domain !== '' && (
                <>
                  {method === 'arc' ? '; ' : ' '}
                  {t(method === 'arc' ? 'checks.arc' : 'checks.forDomain', { domain })}
                </>
              )}
            </dd>
          </Fragment>
        ))}
      </dl>
    </details>
  )
}

/** Where the delivery is now, when that is no longer where it was judged to be. */
function Whereabout({ sheet: { row, waiting, history, path } }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const box = 'mt-3 rounded-md border px-4 py-2'
  if (waiting) {
    const facts = {
      time: times.short(waiting.nextAt),
      problem: problemWords(waiting.problem, t),
      count: waiting.attempts,
    }
    // Mail that was never kept back was not released either.
    const way = history.some(({ act, facts: said }) => act === 'ruling' && said.message === 'release')
      ? 'released'
      : 'passing'
    return (
      <p role="status" className={`${box} border-amber/40 bg-amber-tint text-amber`}>
        {t(`sheet.way.${way}.${waiting.attempts === 0 ? 'onItsWay' : 'waiting'}`, facts)}{' '}
        {waiting.attempts > 0 && <TryAgain id={row.id} />}
      </p>
    )
  }
  const landed = history.findLast(({ act }) => act === 'landed')
  if (row.state === 'released') {
    return (
      <p role="status" className={`${box} border-wanted/40 bg-wanted-tint text-wanted`}>
        {t('sheet.landed', { time: landed ? times.full(landed.at) : '', name: row.mailboxName })}
      </p>
    )
  }
  if (row.state === 'bounced') {
    const bounced = history.findLast(({ act }) => act === 'bounced')
    return (
      <p role="status" className={`${box} border-stop/40 text-stop`}>
        {t('sheet.bounced', { problem: problemWords(String(bounced?.facts.problem ?? ''), t) })}
      </p>
    )
  }
  if (row.state === 'inspecting')
    return (
      <p role="status" className={`${box} border-amber/40 bg-amber-tint text-amber`}>
        {t('sheet.inspecting')}
      </p>
    )
  if (row.state === 'sealed') return <p className={`${box} border-stop/40 text-stop`}>{t('sheet.sealed')}</p>
  if (isUndecided(row.state)) return null
  const rule = path.find(({ rules = [] }) => rules.some(({ folder }) => folder !== ''))?.rules?.[0]
  return (
    <p role="status" className={`${box} border-line-strong`}>
      {t(`sheet.is.${row.moved?.as === 'junk' ? 'movedToJunk' : row.state}`, {
        rule: rule?.name,
        folder: rule?.folder,
      })}{' '}
      {row.state === 'discarded' && <EraseForGood row={row} />}
    </p>
  )
}

const differing = ['subject', 'sender', 'hosts', 'attachments'] as const

/** Others with nearly the same text, and in what they differ from this one. */
function Alike({ alike }: { alike: NonNullable<DeliverySheet['alike']> }) {
  const { t } = useTranslation()
  const parts = differing.filter(what => alike[what].count > 0)
  return (
    <section className="mt-4">
      <h3 className="font-bold text-ink-2">{t('sheet.alike.title', { count: alike.messages })}</h3>
      {parts.length === 0 && <p>{t('sheet.alike.same')}</p>}
      <ul>
        {parts.map(what => (
          <li key={what} className="py-0.5">
            {t(`sheet.alike.${what}`, { count: alike[what].count })}{' '}
            <span className="break-words text-ink-2">{alike[what].most.join(' · ')}</span>
          </li>
        ))}
      </ul>
      {alike.lookedAt < alike.messages && (
        <p className="text-[0.92rem] text-ink-2">{t('sheet.alike.newest', { count: alike.lookedAt })}</p>
      )}
    </section>
  )
}

function History({ sheet: { history } }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (history.length === 0) return null
  return (
    <section className="mt-4">
      <h3 className="font-bold text-ink-2">{t('sheet.history')}</h3>
      <ol>
        {history.map(({ at, act, by, reason, rulingId, facts }, i) => (
          <li key={i} className="py-0.5">
            <span className="text-ink-2">{times.full(at)}</span>{' '}
            {t(`record.brief.${act}${act === 'ruling' ? `-${facts.message}` : ''}`, { by, ...facts })}
            {reason !== '' && <span className="text-ink-2"> · {reason}</span>}
            {rulingId !== null && act === 'ruling' && (
              <Link to={`/record?ruling=${rulingId}`} className="ml-2 border-b border-current text-petrol">
                {t('sheet.inRecord')}
              </Link>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}
