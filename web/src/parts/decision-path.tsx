import { useState } from 'react'
import { clsx } from 'clsx'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { EntryBrief, PathLineShape } from '@pendro/contract'
import { StandingMark } from './standing.tsx'

/** Every check in its order, as stops on a line; the one that decided is filled. */
export function DecisionPath({
  path,
  name,
  brief = false,
}: {
  path: readonly PathLineShape[]
  name: string
  /** At first only the checks that had something to say. */
  brief?: boolean
}) {
  const { t } = useTranslation()
  const [whole, setWhole] = useState(!brief)
  const telling = path.filter(isTelling)
  const shown = whole ? path : telling
  const silent = path.length - telling.length
  return (
    <section
      aria-label={t('sheet.decided')}
      className={brief ? 'mt-4' : 'rounded-lg border border-line bg-sheet px-4 pt-3 pb-3'}
    >
      <h3 className="mb-2 font-bold text-ink-2">{t('sheet.decided')}</h3>
      {!whole && silent > 0 && (
        <p className="mb-1 text-ink-2">{t('sheet.silentChecks', { count: silent })}</p>
      )}
      <ol>
        {shown.map((line, i) => (
          <Stop key={line.stage} line={line} name={name} last={i === shown.length - 1} />
        ))}
      </ol>
      {!whole && silent > 0 && (
        <button type="button" onClick={() => setWhole(true)} className="border-b border-current text-petrol">
          {t('sheet.allChecks')}
        </button>
      )}
    </section>
  )
}

/** It decided, or names an entry or a rule that did not count. */
const isTelling = ({ outcome, overruled, refused, rules = [] }: PathLineShape) =>
  outcome === 'decided' || overruled.length + refused.length + rules.length > 0

function Stop({ line, name, last }: { line: PathLineShape; name: string; last: boolean }) {
  const { t } = useTranslation()
  const decided = line.outcome === 'decided'
  return (
    <li className="relative flex gap-2.5 pb-2.5">
      {!last && <span className="absolute top-4 bottom-0 left-[5px] border-l border-line-strong" />}
      <span
        className={clsx(
          'mt-1 size-[11px] shrink-0 rounded-full border',
          decided ? 'border-junk bg-junk' : 'border-line-strong bg-sheet',
        )}
      />
      <div className={clsx('min-w-0', decided ? 'font-bold' : 'text-ink-2')}>
        <p>{textOf(line, name, t)}</p>
        {otherRules(line).map(({ id, name: rule, place }) => (
          <p key={id} className="text-[0.92rem] font-normal text-ink-2">
            {t(otherRuleKey(line, place), { rule })}
          </p>
        ))}
        {line.decided && <EntryLine entry={line.decided} text={t('path.because')} />}
        {line.overruled.map(entry => (
          <EntryLine
            key={entry.id}
            entry={entry}
            text={t(line.outcome === 'late' ? 'path.tooLate' : 'path.overruled')}
          />
        ))}
        {line.refused.map(({ entry, why }) => (
          <EntryLine key={entry.id} entry={entry} text={t(`path.refused.${why}`)} />
        ))}
      </div>
    </li>
  )
}

/** Mail rules that matched and did not decide. */
const otherRules = ({ outcome, rules = [] }: PathLineShape) =>
  outcome === 'decided' ? rules.slice(1) : rules

function otherRuleKey({ outcome }: PathLineShape, place: string): string {
  if (outcome === 'late') return 'path.rules.tooLate'
  return place === 'important' ? 'path.placing.important' : 'path.rules.other'
}

function textOf(
  { stage, outcome, facts, decided, rules }: PathLineShape,
  name: string,
  t: TFunction,
): string {
  if (stage === 'harm') return t(`path.harm.${outcome}`, facts)
  if (stage === 'rules' || stage === 'placing') {
    const rule = outcome === 'decided' ? rules?.[0] : undefined
    return rule
      ? t(`path.${stage}.decided-${rule.place}`, {
          name: rule.owner === 'organisation' ? t('path.organisationName') : name,
          rule: rule.name,
          folder: rule.folder,
        })
      : t(`path.${stage}.${outcome}`, { name })
  }
  if (stage === 'watching')
    return t(outcome === 'decided' ? `path.watching.would-${facts.would}` : `path.watching.${outcome}`)
  if (stage === 'switched-off') return t(`path.switched-off.${outcome}`, { name })
  if (stage === 'score')
    return t(outcome === 'late' ? 'path.score.late' : `path.score.${facts.verdict}`, { ...facts, name })
  return t(`path.${stage}.${outcome}${decided ? `-${decided.standing}` : ''}`, { name })
}

function EntryLine({ entry, text }: { entry: EntryBrief; text: string }) {
  const { t } = useTranslation()
  return (
    <p className="flex flex-wrap items-baseline gap-x-1.5 text-[0.92rem] font-normal text-ink-2">
      <span className="inline-flex items-center gap-1 font-mono">
        <StandingMark standing={entry.standing} />
        <Link to={`/senders/${entry.id}`} className="border-b border-line-strong hover:border-current">
          {entry.pattern}
        </Link>
      </span>
      <span>{text}</span>
      <span>
        · {entry.mailboxId === null ? t('path.keptByOrganisation') : t('path.keptBy', { name: entry.keptBy })}
      </span>
    </p>
  )
}
