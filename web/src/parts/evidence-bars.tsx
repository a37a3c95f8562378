import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { fileKind } from './file-kind.ts'
import type { TFunction } from 'i18next'
import type { DeliverySheet } from '@pendro/contract'

/** So many findings are shown at first: what decided should stand on the same screen. */
const most = 4

/** Longest first: bars to the left of the thread lean to junk, to the right to wanted. They add up to the score. */
export function EvidenceBars({
  evidence,
  score,
  whole: isWhole = false,
}: {
  evidence: DeliverySheet['evidence']
  score: number
  /** Every finding from the start. */
  whole?: boolean
}) {
  const { t } = useTranslation()
  const [whole, setWhole] = useState(isWhole)
  const shown = whole || evidence.length <= most + 1 ? evidence : evidence.slice(0, most)
  const longest = Math.max(2.5, ...evidence.map(({ weight }) => Math.abs(weight)))
  const sum = evidence.reduce((total, { weight }) => total + weight, 0)
  return (
    <section aria-label={t('sheet.weighs')} className="mt-4">
      <h3 className="mb-1.5 font-bold text-ink-2">{t('sheet.weighs')}</h3>
      <ul>
        {shown.map((found, i) => (
          <Found key={i} found={found} longest={longest} />
        ))}
      </ul>
      {shown.length < evidence.length && (
        <button type="button" onClick={() => setWhole(true)} className="border-b border-current text-ink-2">
          {t('sheet.moreEvidence', { count: evidence.length - most })}
        </button>
      )}
      <p className="mt-2 border-t border-line pt-2 text-[0.92rem] text-ink-2">
        {t('sheet.sum', { sum: signed(sum), score: score.toFixed(1) })}
      </p>
    </section>
  )
}

type Evidence = DeliverySheet['evidence'][number]

/** One finding; what it was read from opens under it. */
function Found({
  found: { finding, weight, facts, raw = [] },
  longest,
}: {
  found: Evidence
  longest: number
}) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  const told = facts.trueType ? { ...facts, trueType: fileKind(String(facts.trueType), t) } : facts
  const text = t(`evidence.${finding}`, told)
  return (
    <li className="py-[3px]">
      <div className="grid grid-cols-[minmax(0,1fr)_34%] items-center gap-3">
        {raw.length === 0 ? (
          <span>{text}</span>
        ) : (
          <button
            type="button"
            aria-expanded={open}
            onClick={() => setOpen(!open)}
            className="text-left decoration-line-strong decoration-dotted underline-offset-3 hover:underline"
          >
            {text}
          </button>
        )}
        <Bar weight={weight} longest={longest} quiet={finding === 'starting-point'} />
      </div>
      {open && (
        <dl className="my-1 grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)] gap-x-3 gap-y-0.5 border-l-2 border-line-strong pl-3 font-mono text-[0.85rem] text-ink-2">
          {raw.map((fact, i) => (
            <div key={i} className="contents">
              <dt>{fact.name === '' && fact.code ? t(`raw.label.${fact.code}`) : fact.name}</dt>
              <dd className="break-all">{rawValue(fact, t)}</dd>
            </div>
          ))}
        </dl>
      )}
    </li>
  )
}

function rawValue({ text, code, facts }: NonNullable<Evidence['raw']>[number], t: TFunction): string {
  const place = facts?.place ? t(`raw.place.${facts.place}`) : t('raw.place.text')
  // A pair without words for its value shows the text itself.
  return code ? t(`raw.value.${code}`, { ...facts, place, text, defaultValue: text }) : text
}

const signed = (n: number) => (n < 0 ? '−' : '+') + Math.abs(n).toFixed(2)

function Bar({ weight, longest, quiet }: { weight: number; longest: number; quiet: boolean }) {
  const { t } = useTranslation()
  const width = `${(Math.abs(weight) / longest) * 50}%`
  const toJunk = weight > 0
  const label =
    weight === 0
      ? t('sheet.towardsNeither')
      : t(toJunk ? 'sheet.towardsJunk' : 'sheet.towardsWanted', {
          weight: Math.abs(weight).toFixed(2),
        })
  // As often in wanted as in junk mail: told as a fact, and no bar that could be taken for a small one.
  if (weight === 0) return <span className="text-center text-[0.92rem] text-ink-2">{label}</span>
  return (
    <span className="relative block h-5" role="img" aria-label={label} title={label}>
      <span className="absolute inset-y-0 left-1/2 border-l border-line-strong" />
      <span
        className={`absolute inset-y-[5px] rounded-[2px] ${quiet ? 'border border-line-strong bg-transparent' : toJunk ? 'bg-junk' : 'bg-wanted'}`}
        style={toJunk ? { right: '50%', width } : { left: '50%', width }}
      />
    </span>
  )
}
