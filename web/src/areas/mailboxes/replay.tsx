import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { ChangeEffect } from '@pendro/contract'
import { problemOf } from '../../app/api.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'

const total = ({ wanted, doubtful, harmful }: { wanted: number; doubtful: number; harmful: number }) =>
  wanted + doubtful + harmful

/** What the last month would have come to, and the mail itself. */
export function Replay({
  effect,
}: {
  effect: { readonly data: ChangeEffect | null | undefined; readonly error: unknown }
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  if (effect.error) return <p className="text-stop">{problemOf(effect.error).text}</p>
  const replay = effect.data?.replay
  if (!replay) return <p className="text-ink-2">{t('change.looking')}</p>
  const { days, looked, keptBack, letThrough, elsewhere, part, examples } = replay
  const [held, let_] = [total(keptBack), total(letThrough)]
  const parts = [
    ...(keptBack.wanted > 0 ? [t('mailboxes.limits.heldWanted', { count: keptBack.wanted })] : []),
    ...(letThrough.harmful > 0 ? [t('mailboxes.limits.letHarmful', { count: letThrough.harmful })] : []),
    ...(elsewhere > 0 ? [t('mailboxes.limits.elsewhere', { count: elsewhere })] : []),
  ]
  return (
    <>
      <p>
        <Sentence
          text={
            held + let_ === 0
              ? t('mailboxes.limits.replayNone', { looked, days })
              : t('mailboxes.limits.replay', { looked, days, held, let: let_ })
          }
        />{' '}
        {parts.join(' ')}
      </p>
      {part !== null && part.next !== null && (
        <p className="mt-1 flex items-center gap-3 text-ink-2">
          <progress
            max={part.of}
            value={part.decided}
            aria-label={t('mailboxes.limits.progress')}
            className="h-2 w-40 accent-petrol"
          />
          {t('mailboxes.limits.soFar', { decided: number(part.decided), of: number(part.of) })}
        </p>
      )}
      {examples.length > 0 && <Examples examples={examples} />}
    </>
  )
}

function Examples({ examples }: { examples: NonNullable<ChangeEffect['replay']>['examples'] }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <>
      <h4 className="mt-3 mb-1 font-bold text-ink-2">{t('mailboxes.limits.examples')}</h4>
      <ul className="max-h-64 overflow-y-auto" tabIndex={0} aria-label={t('mailboxes.limits.examples')}>
        {examples.map(({ deliveryId, from, subject, score, receivedAt, would, called }) => (
          <li
            key={deliveryId}
            className="grid grid-cols-[2.2rem_minmax(0,1fr)_auto] items-baseline gap-x-3 border-t border-line py-1"
          >
            <b className="text-right">{Math.round(score)}</b>
            <span className="truncate">
              <Link to={`/review/${deliveryId}`} className="border-b border-line-strong hover:border-current">
                {subject || '–'}
              </Link>{' '}
              <span className="text-ink-2">
                {from} · {times.short(receivedAt)}
              </span>
            </span>
            <span className="text-[0.92rem] text-ink-2">
              {t(`mailboxes.limits.would.${would}`)}
              {called && ` · ${t(`mailboxes.limits.called.${called}`)}`}
            </span>
          </li>
        ))}
      </ul>
    </>
  )
}
