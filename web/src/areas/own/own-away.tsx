import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { readOwnAway, setOwnAway, type OwnAway } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { useOwnAct } from './use-own-act.ts'

interface Setting {
  readonly was: readonly OwnAway[]
  readonly to: readonly OwnAway[]
}

/** When the colleague is away: what is kept back waits for them. */
export function OwnAwayTimes() {
  const { t } = useTranslation()
  const { data } = useQuery({
    queryKey: queryKeyOf('own', 'away'),
    queryFn: ({ signal }) => call(readOwnAway, { signal }),
  })
  const saving = useOwnAct({
    send: ({ was, to }: Setting) =>
      call(setOwnAway, { body: { was: [...was], to: [...to], token: crypto.randomUUID() } }),
    notice: (_, { was, to }) => ({ text: t(to.length > was.length ? 'own.away.saved' : 'own.away.removed') }),
    makes: 'own-changed',
  })
  if (!data) return null
  const { away, keep } = data
  return (
    <section className="mt-6">
      <h2 className="font-serif text-[1.15rem] font-semibold">{t('own.away.title')}</h2>
      <p className="mt-1 text-ink-2">{t('own.away.text', { days: keep.quarantined })}</p>
      <p className="mt-1 text-ink-2">{t('own.away.keep', { ...keep })}</p>
      <ul className="mt-3 grid gap-2">
        {away.map(one => (
          <Period
            key={one.from}
            period={one}
            disabled={saving.isPending}
            onRemove={() => saving.mutate({ was: away, to: away.filter(other => other !== one) })}
          />
        ))}
      </ul>
      <NewPeriod
        key={JSON.stringify(away)}
        disabled={saving.isPending}
        onEnter={period => saving.mutate({ was: away, to: [...away, period] })}
      />
    </section>
  )
}

interface PeriodProps {
  readonly period: OwnAway
  readonly disabled: boolean
  readonly onRemove: () => void
}

function Period({ period: { from, back, digestsTo }, disabled, onRemove }: PeriodProps) {
  const { t } = useTranslation()
  const times = useTimes()
  const day = (date: string) => times.day(`${date}T12:00:00Z`)
  return (
    <li className="rounded-lg border border-line bg-sheet px-4 py-2.5">
      <p className="font-semibold">{t('own.away.period', { from: day(from), back: day(back) })}</p>
      <p className="text-ink-2">
        {digestsTo === '' ? t('own.away.waits') : t('own.away.goTo', { address: digestsTo })}
      </p>
      <Button kind="link" disabled={disabled} onClick={onRemove}>
        {t('own.away.remove')}
      </Button>
    </li>
  )
}

function NewPeriod({ disabled, onEnter }: { disabled: boolean; onEnter: (period: OwnAway) => void }) {
  const { t } = useTranslation()
  const [period, setPeriod] = useState<OwnAway>({ from: '', back: '', digestsTo: '' })
  const set = (part: Partial<OwnAway>) => setPeriod(now => ({ ...now, ...part }))
  const submit = (event: FormEvent) => {
    event.preventDefault()
    onEnter(period)
  }
  return (
    <form onSubmit={submit} className="mt-3 grid gap-3 rounded-lg border border-line bg-sheet p-4">
      <div className="grid gap-3 min-[480px]:grid-cols-2">
        <TextField
          label={t('own.away.from')}
          type="date"
          required
          value={period.from}
          onChange={event => set({ from: event.target.value })}
        />
        <TextField
          label={t('own.away.back')}
          type="date"
          required
          value={period.back}
          onChange={event => set({ back: event.target.value })}
        />
      </div>
      <TextField
        label={t('own.away.digestsTo')}
        type="email"
        value={period.digestsTo}
        maxLength={320}
        onChange={event => set({ digestsTo: event.target.value })}
      />
      <p>
        <Button type="submit" kind="main" disabled={disabled || period.from === '' || period.back === ''}>
          {t('own.away.add')}
        </Button>
      </p>
    </form>
  )
}
