import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { StandbyItem, StandbyLetter, StandbyPage } from '@pendro/contract'
import { useTimes } from '../../../app/times.ts'
import { Empty, Failed, SkeletonRows } from '../../../parts/states.tsx'
import { useProblemText } from '../own-session.ts'
import { useStandby } from './use-standby.ts'

/** What waits for the mail store, what is being written and what was sent. */
export function StandbyList() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { data, error, refetch } = useStandby()
  if (error && !data) return <Failed say={problemText} error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={5} />
  if (data.state === 'closed')
    return (
      <Empty title={t('own.standby.closed')}>
        <p>{t('own.standby.closedText')}</p>
      </Empty>
    )
  return (
    <>
      <h1 className="font-serif text-[1.35rem] leading-snug font-semibold">{t('own.standby.title')}</h1>
      <State page={data} />
      <p className="mt-3">
        <Link
          to="/own/standby/write"
          className="inline-flex min-h-11 items-center rounded-md bg-petrol px-4 font-semibold text-on-petrol hover:brightness-110"
        >
          {t('own.standby.write')}
        </Link>
      </p>
      <Letters title={t('own.standby.drafts')} letters={data.drafts} isDraft />
      <h2 className="mt-4 mb-1 font-bold">{t('own.standby.waiting')}</h2>
      <Items items={data.items} />
      <Letters title={t('own.standby.sent')} letters={data.sent} />
    </>
  )
}

/** Since when it is away; or how far handing back has come. */
function State({ page: { state, since, waiting, unfiled } }: { page: StandbyPage }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (state === 'open')
    return (
      <p className="text-ink-2">
        {t('own.standby.since', { time: since === null ? '' : times.full(since) })} {t('own.standby.once')}
      </p>
    )
  return (
    <p role="status" className="text-ink-2">
      {t('own.standby.handing')} {waiting > 0 && t('own.standby.left', { count: waiting })}{' '}
      {unfiled > 0 && t('own.standby.unfiled', { count: unfiled })}
    </p>
  )
}

const listStyle = 'overflow-hidden rounded-lg border border-line bg-sheet'
const rowStyle = 'block min-h-11 border-b border-line px-3 py-2.5 outline-offset-[-2px] last:border-b-0'

function Items({ items }: { items: readonly StandbyItem[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (items.length === 0) return <p className="text-ink-2">{t('own.standby.nothing')}</p>
  return (
    <ul className={listStyle}>
      {items.map(({ key, at, fromName, fromAddress, subject, attachments, opened, answered }) => (
        <li key={key} className="border-b border-line last:border-b-0">
          <Link to={`/own/standby/mail/${key}`} className={rowStyle}>
            <span className="flex flex-wrap items-baseline justify-between gap-x-3">
              <span className={clsx('min-w-0 truncate', !opened && 'font-bold')}>
                {fromName || fromAddress}
              </span>
              <span className="text-[0.92rem] text-ink-2">{times.short(at)}</span>
            </span>
            <span className={clsx('block truncate', !opened && 'font-bold')}>
              {subject || t('own.noSubject')}
            </span>
            <span className="block text-[0.92rem] text-ink-2">
              {[
                opened ? '' : t('own.standby.unread'),
                answered ? t('own.standby.answered') : '',
                attachments > 0 ? t('own.attached', { count: attachments }) : '',
              ]
                .filter(Boolean)
                .join(' · ')}
            </span>
          </Link>
        </li>
      ))}
    </ul>
  )
}

function Letters({
  title,
  letters,
  isDraft = false,
}: {
  title: string
  letters: readonly StandbyLetter[]
  isDraft?: boolean
}) {
  const { t } = useTranslation()
  const times = useTimes()
  if (letters.length === 0) return null
  return (
    <>
      <h2 className="mt-4 mb-1 font-bold">{title}</h2>
      <ul className={listStyle}>
        {letters.map(({ id, to, subject, at, filed }) => {
          const words = (
            <>
              <span className="flex flex-wrap items-baseline justify-between gap-x-3">
                <span className="min-w-0 truncate">{to.join(', ') || t('own.standby.toNobody')}</span>
                <span className="text-[0.92rem] text-ink-2">{times.short(at)}</span>
              </span>
              <span className="block truncate">{subject || t('own.noSubject')}</span>
              {!isDraft && (
                <span className="block text-[0.92rem] text-ink-2">
                  {t(`own.standby.${filed ? 'filed' : 'notFiled'}`)}
                </span>
              )}
            </>
          )
          return (
            <li key={id} className="border-b border-line last:border-b-0">
              {isDraft ? (
                <Link to={`/own/standby/letters/${id}`} className={rowStyle}>
                  {words}
                </Link>
              ) : (
                <div className={rowStyle}>{words}</div>
              )}
            </li>
          )
        })}
      </ul>
    </>
  )
}
