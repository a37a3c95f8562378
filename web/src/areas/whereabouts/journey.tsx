import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import type { JourneyStop } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { toneOf, type StopTone } from './hit-groups.ts'
import { MailRuleSlot } from '../../parts/mail-rule-slot.tsx'
import { stopDetails } from './stop-text.ts'

/** The way of a message as a line with stops: what has been is drawn through, what is to come dotted. */
export function Journey({ stops, from }: { stops: readonly JourneyStop[]; from: string }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <ol
      className="mt-2 grid gap-y-3"
      style={{ gridTemplateColumns: `repeat(${Math.min(stops.length, 6)}, minmax(0, 1fr))` }}
    >
      {stops.map((stop, i) => (
        <li
          key={i}
          aria-current={stop.stage === 'here' ? 'step' : undefined}
          className={clsx('relative min-w-0 pt-6 pr-3', stop.stage === 'coming' && 'text-ink-2')}
        >
          {i < stops.length - 1 && (
            <span
              aria-hidden
              className={clsx(
                'absolute top-[9px] right-0 left-0 border-t-2',
                stops[i + 1]?.stage === 'coming' ? 'border-dotted border-line-strong' : 'border-petrol',
              )}
            />
          )}
          <Dot stage={stop.stage} kind={stop.kind} />
          <b className={clsx('block leading-tight', stop.stage === 'coming' && 'font-semibold')}>
            {t(`whereabouts.stop.${stop.kind}`)}
          </b>
          <span className="block text-[0.9rem] leading-snug text-ink-2">
            {stop.at !== null && <span className="block">{times.short(stop.at)}</span>}
            {stopDetails(stop, from, t).map((text, n) => (
              <span
                key={n}
                className={clsx(
                  'block [overflow-wrap:anywhere]',
                  // Why a message that is there is not seen.
                  text === t('whereabouts.detail.unfetched') && 'font-semibold text-amber',
                )}
              >
                {text}
              </span>
            ))}
            {stop.facts.ruleId !== undefined && (
              <Sentence
                text={t('mailRules.slot.by')}
                slots={{
                  rule: <MailRuleSlot id={Number(stop.facts.ruleId)} name={String(stop.facts.rule)} />,
                }}
              />
            )}
          </span>
        </li>
      ))}
    </ol>
  )
}

const colours: Readonly<Record<StopTone, string>> = {
  arrived: 'bg-wanted',
  kept: 'bg-junk',
  waiting: 'bg-amber',
  gone: 'bg-stop',
  passed: 'bg-petrol',
}

/** Where it is now, in the colour of what that means. */
export function StopDot({ tone }: { tone: StopTone }) {
  return (
    <span
      aria-hidden
      className={clsx('size-3 shrink-0 self-center rounded-full rounded-br-none', colours[tone])}
    />
  )
}

function Dot({ stage, kind }: Pick<JourneyStop, 'stage' | 'kind'>) {
  return (
    <span
      aria-hidden
      className={clsx(
        'absolute left-0',
        stage === 'here'
          ? `top-[1px] size-[18px] rounded-full rounded-br-none ${colours[toneOf(kind)]}`
          : stage === 'done'
            ? 'top-1 size-3 rounded-full bg-petrol'
            : 'top-[3px] size-3.5 rounded-full border-2 border-line-strong bg-sheet',
      )}
    />
  )
}
