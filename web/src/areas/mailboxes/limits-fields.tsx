import { useTranslation } from 'react-i18next'
import { readyAt, readyLimits, type ReadyLimits } from '@pendro/contract'
import { limitNames, withLimit, type Limits } from './limits-arc.tsx'

/** Limits typed, or put at a ready position. */
export function LimitsFields(props: Choosing) {
  return (
    <>
      <Typed {...props} />
      <Ready {...props} />
    </>
  )
}

interface Choosing {
  readonly limits: Limits
  readonly onChange: (limits: Limits) => void
}

function Typed({ limits, onChange }: Choosing) {
  const { t } = useTranslation()
  return (
    <div className="mt-2 flex flex-wrap gap-x-5 gap-y-2">
      {limitNames.map(name => (
        <label key={name} className="flex items-baseline gap-2 text-[0.95rem] text-ink-2">
          {t(`mailboxes.limits.short.${name}`)}
          <input
            aria-label={t(`mailboxes.limits.limit.${name}`)}
            type="number"
            min={1}
            max={100}
            value={limits[name]}
            onChange={({ target }) => {
              const score = Math.round(target.valueAsNumber)
              if (score >= 1 && score <= 100) onChange(withLimit(limits, name, score))
            }}
            className="w-[4.2rem] rounded-md border border-line-strong bg-raised px-2 py-1 text-ink"
          />
        </label>
      ))}
    </div>
  )
}

function Ready({ limits, onChange }: Choosing) {
  const { t } = useTranslation()
  const at = readyAt(limits)
  return (
    <p className="mt-3 flex flex-wrap gap-2" role="group" aria-label={t('mailboxes.limits.ready.label')}>
      {(Object.keys(readyLimits) as ReadyLimits[]).map(name => (
        <button
          key={name}
          type="button"
          aria-pressed={at === name}
          onClick={() => onChange(readyLimits[name])}
          className="rounded-full border border-line-strong bg-raised px-3 py-0.5 text-[0.92rem] hover:border-petrol aria-pressed:border-petrol aria-pressed:bg-tint aria-pressed:font-semibold"
        >
          {t(`mailboxes.limits.ready.${name}`)}
        </button>
      ))}
    </p>
  )
}
