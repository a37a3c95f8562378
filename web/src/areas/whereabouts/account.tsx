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
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { stopDetails } from './stop-text.ts'

/** The whole way of one message on one page: to print, to copy, to tell. */
export function Account() {
  const { t } = useTranslation()
  const times = useTimes()
  const show = useNotices(state => state.show)
  const { id } = useParams()
  const [language, setLanguage] = useState<DigestLanguage | null>(null)
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('where', 'account', id),
    queryFn: ({ signal }) => call(readAccount, { params: { id: id ?? '' }, signal }),
  })
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={5} />
  const { hit, organisation, explanations } = data
  const spoken = language ?? digestLanguage.safeParse(hit.mailboxLanguage).data ?? 'en'
  const lines = hit.journey.map(stop => ({
    stop,
    name: t(`whereabouts.stop.${stop.kind}`),
    time: stop.at === null ? '' : times.full(stop.at),
    details: [
      ...stopDetails(stop, hit.fromAddress, t),
      ...(stop.facts.rule ? [t('whereabouts.detail.rule', stop.facts)] : []),
    ].join(', '),
  }))
  const copy = async () => {
    const text = [
      hit.subject,
      `${hit.fromName} <${hit.fromAddress}> ${t('whereabouts.to', { to: hit.to })}`,
      ...lines.map(({ stop, name, time, details }) =>
        [time, name, details, stop.stage === 'coming' ? t('whereabouts.account.coming') : '']
          .filter(part => part !== '')
          .join(' · '),
      ),
      explanations[spoken] ?? '',
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
        <h2 className="mt-5 font-bold">
          {t('whereabouts.account.explanation')}{' '}
          <span className="font-normal print:hidden">
            <SentenceSlot
              label={t('whereabouts.account.language')}
              text={t(`whereabouts.account.languages.${spoken}`)}
              value={spoken}
              options={digestLanguage.options.map(value => ({
                value,
                text: t(`whereabouts.account.languages.${value}`),
              }))}
              onPick={setLanguage}
            />
          </span>
        </h2>
        <p lang={spoken} className="mt-1 rounded-lg border border-line bg-sheet px-4 py-3">
          {explanations[spoken]}
        </p>
        <h2 className="mt-5 font-bold">{t('whereabouts.account.way')}</h2>
        <table className="mt-1 w-full border-collapse">
          <tbody>
            {lines.map(({ stop, name, time, details }, i) => (
              <tr key={i} className="border-b border-line align-top">
                <td className="py-1.5 pr-4 whitespace-nowrap text-ink-2">{time}</td>
                <th scope="row" className="py-1.5 pr-4 text-left">
                  {name}
                </th>
                <td className="py-1.5 break-words">
                  {[details, stop.stage === 'coming' ? t('whereabouts.account.coming') : '']
                    .filter(part => part !== '')
                    .join(', ')}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
        <p className="mt-4 text-[0.95rem] text-ink-2">
          {t('whereabouts.account.made', { time: times.full(new Date().toISOString()) })}
        </p>
      </article>
    </div>
  )
}
