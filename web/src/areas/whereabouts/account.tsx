import { queryKeyOf } from '../../app/query-keys.ts'
import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { useParams } from 'react-router'
import { digestLanguage, readAccount, type DigestLanguage } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { DecisionPath } from '../../parts/decision-path.tsx'
import { EvidenceBars } from '../../parts/evidence-bars.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { stopDetails } from './stop-text.ts'

type Told = NonNullable<ReturnType<typeof useAccount>['data']>

const useAccount = (id: string | undefined) =>
  useQuery({
    queryKey: queryKeyOf('where', 'account', id),
    queryFn: ({ signal }) => call(readAccount, { params: { id: id ?? '' }, signal }),
    // Where it is at the mail store may change under somebody’s hands.
    refetchInterval: 10_000,
  })

/** The stops of a journey as lines: when, what, and what is known of it. */
function useLines({ hit }: Told) {
  const { t } = useTranslation()
  const times = useTimes()
  return hit.journey.map(stop => ({
    name: t(`whereabouts.stop.${stop.kind}`),
    time: stop.at === null ? '' : times.full(stop.at),
    details: [
      ...stopDetails(stop, hit.fromAddress, t),
      ...(stop.facts.rule ? [t('whereabouts.detail.rule', stop.facts)] : []),
    ].join(', '),
    coming: stop.stage === 'coming' ? t('whereabouts.account.coming') : '',
  }))
}

type Line = ReturnType<typeof useLines>[number]

const said = (parts: readonly string[], between: string) => parts.filter(part => part !== '').join(between)

/** The whole way of one message on one page: to print, to copy, to tell. */
export function Account() {
  const { id } = useParams()
  const { data, error, refetch } = useAccount(id)
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  return data ? <Page told={data} /> : <SkeletonRows count={5} />
}

function Page({ told }: { told: Told }) {
  const { t } = useTranslation()
  const times = useTimes()
  const show = useNotices(state => state.show)
  const { hit, organisation, explanations } = told
  const [language, setLanguage] = useState(digestLanguage.safeParse(hit.mailboxLanguage).data ?? 'en')
  const lines = useLines(told)
  const copy = async () => {
    const text = [
      hit.subject,
      `${hit.fromName} <${hit.fromAddress}> ${t('whereabouts.to', { to: hit.to })}`,
      ...lines.map(({ name, time, details, coming }) => said([time, name, details, coming], ' · ')),
      explanations[language] ?? '',
    ].join('\n')
    await navigator.clipboard.writeText(text)
    show({ tone: 'done', text: t('whereabouts.account.copied') })
  }
  return (
    <div className="h-full overflow-y-auto print:overflow-visible">
      <article className="mx-auto max-w-3xl px-6 py-6">
        <p className="mb-4 flex gap-3 print:hidden">
          <Button kind="main" onClick={() => print()}>
            {t('whereabouts.account.print')}
          </Button>
          <Button onClick={() => void copy()}>{t('whereabouts.account.copy')}</Button>
        </p>
        <p className="text-ink-2">
          {t('whereabouts.account.title')} {t('whereabouts.account.for', { name: hit.to, organisation })}
        </p>
        <h1 className="font-serif text-[1.5rem] leading-snug font-semibold break-words">{hit.subject}</h1>
        <p>
          {hit.fromName} <span className="font-mono break-all">{hit.fromAddress}</span>
        </p>
        <Explanation told={told} language={language} onLanguage={setLanguage} />
        <h2 className="mt-5 font-bold">{t('whereabouts.account.way')}</h2>
        <Way lines={lines} />
        <Judged told={told} />
        <p className="mt-4 text-[0.95rem] text-ink-2">
          {t('whereabouts.account.made', { time: times.full(new Date().toISOString()) })}
        </p>
      </article>
    </div>
  )
}

/** What it was judged by, for whoever wants to know; on paper only when it is open. */
function Judged({ told: { messageId, score, evidence, path, hit } }: { told: Told }) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  return (
    <section className={open ? '' : 'print:hidden'}>
      <p className="mt-4 print:hidden">
        <Button kind="link" aria-expanded={open} onClick={() => setOpen(!open)}>
          {t(open ? 'whereabouts.account.hideJudged' : 'whereabouts.account.showJudged')}
        </Button>
      </p>
      {open && (
        <>
          <p className="mt-2">
            {t('whereabouts.account.messageId')}{' '}
            <span className="font-mono break-all">{messageId || t('whereabouts.account.noMessageId')}</span>
          </p>
          <EvidenceBars evidence={evidence} score={score} whole />
          <div className="mt-4">
            <DecisionPath path={path} name={hit.to} />
          </div>
        </>
      )}
    </section>
  )
}

interface ExplanationProps {
  readonly told: Told
  readonly language: DigestLanguage
  readonly onLanguage: (language: DigestLanguage) => void
}

/** What to tell the colleague, in a language of theirs. */
function Explanation({ told: { explanations }, language, onLanguage }: ExplanationProps) {
  const { t } = useTranslation()
  return (
    <>
      <h2 className="mt-5 font-bold">
        {t('whereabouts.account.explanation')}{' '}
        <span className="font-normal print:hidden">
          <SentenceSlot
            label={t('whereabouts.account.language')}
            text={t(`whereabouts.account.languages.${language}`)}
            value={language}
            options={digestLanguage.options.map(value => ({
              value,
              text: t(`whereabouts.account.languages.${value}`),
            }))}
            onPick={onLanguage}
          />
        </span>
      </h2>
      <p lang={language} className="mt-1 rounded-lg border border-line bg-sheet px-4 py-3">
        {explanations[language]}
      </p>
    </>
  )
}

function Way({ lines }: { lines: readonly Line[] }) {
  return (
    <table className="mt-1 w-full border-collapse">
      <tbody>
        {lines.map(({ name, time, details, coming }, i) => (
          <tr key={i} className="border-b border-line align-top">
            <td className="py-1.5 pr-4 whitespace-nowrap text-ink-2">{time}</td>
            <th scope="row" className="py-1.5 pr-4 text-left">
              {name}
            </th>
            <td className="py-1.5 break-words">{said([details, coming], ', ')}</td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}
