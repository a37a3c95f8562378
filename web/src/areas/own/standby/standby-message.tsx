import { Paperclip } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { Link, useParams } from 'react-router'
import type { StandbySheet } from '@pendro/contract'
import { useNumbers, useTimes } from '../../../app/times.ts'
import { Empty, SkeletonRows } from '../../../parts/states.tsx'
import { useProblemText } from '../own-session.ts'
import { useStandbyItem } from './use-standby.ts'

const back = 'inline-flex min-h-8 items-center border-b border-current text-petrol'
const button =
  'inline-flex min-h-11 items-center rounded-md border border-line-strong bg-raised px-4 font-semibold hover:border-petrol'

/** One message that waits for the mail store: read safely, answered, passed on. */
export function StandbyMessage() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { key = '' } = useParams()
  const { data, error } = useStandbyItem(key)
  const toList = (
    <Link to="/own/standby" className={back}>
      {t('own.standby.toList')}
    </Link>
  )
  if (error && !data) return <Empty title={problemText(error)}>{toList}</Empty>
  if (!data) return <SkeletonRows count={4} />
  return (
    <article>
      <p className="mb-2">{toList}</p>
      <Head sheet={data} />
      <p className="mt-3 flex flex-wrap gap-2">
        <Link to={`/own/standby/write?answer=${key}`} className={button}>
          {t('own.standby.answer')}
        </Link>
        {data.to.length + data.cc.length > 1 && (
          <Link to={`/own/standby/write?answer=${key}&all=1`} className={button}>
            {t('own.standby.answerAll')}
          </Link>
        )}
        <Link to={`/own/standby/write?forward=${key}`} className={button}>
          {t('own.standby.forward')}
        </Link>
      </p>
      <Attachments sheet={data} />
      <iframe
        title={t('own.standby.message')}
        src={`/api/own/standby/items/${key}/view`}
        sandbox=""
        className="mt-3 h-[60vh] w-full rounded-lg border border-line bg-white"
      />
    </article>
  )
}

function Head({ sheet: { subject, fromName, fromAddress, to, cc, at } }: { sheet: StandbySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <>
      <h1 className="font-serif text-[1.3rem] leading-snug font-semibold break-words">
        {subject || t('own.noSubject')}
      </h1>
      <p className="mt-1">
        {fromName} <span className="font-mono text-[0.92em] break-all">{fromAddress}</span>
      </p>
      <p className="text-[0.95rem] break-words text-ink-2">
        {t('own.standby.toWhom', { to: [...to, ...cc].join(', ') })} · {times.full(at)}
      </p>
    </>
  )
}

function Attachments({ sheet: { key, attachments } }: { sheet: StandbySheet }) {
  const { t } = useTranslation()
  const { size: sizeText } = useNumbers()
  if (attachments.length === 0) return null
  return (
    <ul className="mt-3 grid gap-1">
      {attachments.map(({ place, name, size, danger }) => (
        <li key={place} className="flex flex-wrap items-center gap-2">
          <Paperclip aria-hidden className="size-4 shrink-0 text-ink-2" />
          {danger === null ? (
            <a
              href={`/api/own/standby/items/${key}/attachments/${place}`}
              download={name}
              className="inline-flex min-h-8 min-w-0 items-center border-b border-current break-all text-petrol"
            >
              {name || t('own.standby.unnamed')}
            </a>
          ) : (
            <span className="break-all text-stop">{t('own.standby.harmful', { name })}</span>
          )}
          <span className="text-[0.92rem] text-ink-2">{sizeText(size)}</span>
        </li>
      ))}
    </ul>
  )
}
