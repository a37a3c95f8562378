import { queryKeyOf } from '../../app/query-keys.ts'
import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  askOwnDigest,
  digestLanguage,
  readOwnSettings,
  revokeOwn,
  chooseOwnPassword,
  setOwnSettings,
  type DigestLanguage,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { ScheduleFields } from '../../parts/schedule-fields.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { TextField } from '../../parts/field.tsx'
import { useOwnSession, useProblemText } from './own-session.ts'
import { Allowed } from './allowed.tsx'
import { OwnAwayTimes } from './own-away.tsx'
import { OwnJunk } from './own-junk.tsx'
import { OwnReply } from './own-reply.tsx'
import { useOwnAct } from './use-own-act.ts'
import type { z } from 'zod'

type Settings = Awaited<ReturnType<typeof readSettings>>
const readSettings = (signal?: AbortSignal) => call(readOwnSettings, { signal })

/** Each language in its own words: whoever looks for theirs can't read the others. */
const languageNames: Readonly<Record<DigestLanguage, string>> = {
  en: 'English',
  nb: 'Norsk bokmål',
  de: 'Deutsch',
  pl: 'Polski',
}

export function OwnSettings() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('own', 'settings'),
    queryFn: ({ signal }) => readSettings(signal),
  })
  if (error && !data) return <Failed say={problemText} error={error} onAgain={() => void refetch()} />
  return (
    <>
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.settings')}</h1>
      <FreshDigest />
      {data ? <DigestForm key={JSON.stringify(data)} settings={data} /> : <SkeletonRows count={4} />}
      <Allowed part="away">
        <OwnAwayTimes />
        <OwnReply />
      </Allowed>
      <OwnJunk />
      <Device />
    </>
  )
}

/** A digest of everything that is kept back now, for whoever has lost theirs or can't wait. */
function FreshDigest() {
  const { t } = useTranslation()
  const { address } = useOwnSession()
  const asking = useOwnAct({
    send: () => call(askOwnDigest),
    notice: () => ({ text: t('own.fresh.sent', { address }) }),
  })
  return (
    <p className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2">
      <span className="text-ink-2">{t('own.fresh.text')}</span>
      <Button disabled={asking.isPending} onClick={() => asking.mutate()}>
        {t('own.fresh.button')}
      </Button>
    </p>
  )
}

type When = 'usual' | 'chosen' | 'none'

interface Choices extends Pick<Settings, 'language' | 'listsJunk' | 'listsNearCertain'> {
  readonly when: When
  readonly schedule: Settings['inForce']
}

interface ChoicesProps {
  readonly choices: Choices
  readonly change: (some: Partial<Choices>) => void
}

const choicesOf = ({ schedule, inForce, language, listsJunk, listsNearCertain }: Settings): Choices => ({
  when: schedule === null ? 'usual' : schedule.times.length === 0 ? 'none' : 'chosen',
  schedule: inForce,
  language,
  listsJunk,
  listsNearCertain,
})

function DigestForm({ settings }: { settings: Settings }) {
  const { t } = useTranslation()
  const [choices, setChoices] = useState(() => choicesOf(settings))
  const change = (some: Partial<Choices>) => setChoices(now => ({ ...now, ...some }))
  const { when, schedule, ...rest } = choices
  const saving = useOwnAct({
    send: () =>
      call(setOwnSettings, {
        body: {
          ...rest,
          schedule: when === 'usual' ? null : when === 'none' ? { ...schedule, times: [] } : schedule,
        },
      }),
    notice: () => ({ text: t('own.choices.saved') }),
    makes: 'own-choices',
  })
  const submit = (event: FormEvent) => {
    event.preventDefault()
    saving.mutate()
  }
  return (
    <form onSubmit={submit} className="mt-3 grid gap-5 rounded-lg border border-line bg-sheet p-4">
      <Allowed part="digests">
        <WhenFields choices={choices} change={change} next={settings.next} />
      </Allowed>
      <ListsFields choices={choices} change={change} />
      <LanguageField choices={choices} change={change} />
      <p>
        <Button type="submit" kind="main" disabled={saving.isPending || schedule.times.includes('')}>
          {t('own.choices.save')}
        </Button>
      </p>
    </form>
  )
}

function WhenFields({ choices: { when, schedule }, change, next }: ChoicesProps & Pick<Settings, 'next'>) {
  const { t } = useTranslation()
  const times = useTimes()
  const { timeZone } = useOwnSession()
  const pick = (one: When) =>
    change({
      when: one,
      ...(one === 'chosen' && schedule.times.length === 0
        ? { schedule: { ...schedule, times: ['07:00'] } }
        : {}),
    })
  return (
    <fieldset>
      <legend className="mb-1 font-bold">{t('own.choices.when')}</legend>
      {(['usual', 'chosen', 'none'] as const).map(one => (
        <label key={one} className="flex min-h-9 items-center gap-2">
          <input
            type="radio"
            name="when"
            checked={when === one}
            onChange={() => pick(one)}
            className="size-4 accent-petrol"
          />
          {t(`own.choices.${one}`)}
        </label>
      ))}
      {when === 'chosen' && (
        <div className="mt-1 ml-6 grid gap-3">
          <ScheduleFields
            schedule={schedule}
            onChange={value => change({ schedule: value })}
            texts={{
              times: t('own.choices.zone', { zone: timeZone }),
              time: n => t('own.choices.time', { n }),
              removeTime: time => t('own.choices.removeTime', { time }),
              addTime: t('own.choices.addTime'),
              days: t('own.choices.days'),
            }}
          />
        </div>
      )}
      <p className="mt-1 text-ink-2">
        {next === null ? t('own.choices.noNext') : t('own.choices.next', { time: times.full(next) })}
      </p>
    </fieldset>
  )
}

function ListsFields({ choices: { listsJunk, listsNearCertain }, change }: ChoicesProps) {
  const { t } = useTranslation()
  return (
    <fieldset>
      <legend className="mb-1 font-bold">{t('own.choices.lists')}</legend>
      <label className="flex min-h-9 items-center gap-2">
        <Checkbox
          checked={listsJunk}
          label={t('own.choices.junk')}
          onChange={value => change({ listsJunk: value })}
        />
        {t('own.choices.junk')}
      </label>
      <label className="flex min-h-9 items-center gap-2">
        <Checkbox
          checked={listsNearCertain}
          label={t('own.choices.nearCertain')}
          onChange={value => change({ listsNearCertain: value })}
        />
        {t('own.choices.nearCertain')}
      </label>
    </fieldset>
  )
}

function LanguageField({ choices: { language }, change }: ChoicesProps) {
  const { t } = useTranslation()
  return (
    <label className="block">
      <span className="mb-1 block font-bold">{t('own.choices.language')}</span>
      <select
        value={language}
        onChange={event => change({ language: event.target.value as DigestLanguage })}
        className="w-full rounded-md border border-line-strong bg-raised px-3 py-2 sm:w-72"
      >
        {digestLanguage.options.map(one => (
          <option key={one} value={one}>
            {languageNames[one]}
          </option>
        ))}
      </select>
    </label>
  )
}

/** Password, and what to do when a digest or a phone is in other hands. */
function Device() {
  const { t } = useTranslation()
  const revoking = useOwnAct({
    send: () => call(revokeOwn, { body: {} }),
    notice: () => ({ text: t('own.choices.revoked') }),
  })
  return (
    <section className="mt-5 rounded-lg border border-line bg-sheet p-4">
      <h2 className="mb-2 font-bold">{t('own.choices.device')}</h2>
      <PasswordForm />
      <p className="mt-5 mb-2 text-[0.95rem] text-ink-2">{t('own.choices.revokeHint')}</p>
      <Button className="!whitespace-normal" disabled={revoking.isPending} onClick={() => revoking.mutate()}>
        {t('own.choices.revoke')}
      </Button>
    </section>
  )
}

function PasswordForm() {
  const { t } = useTranslation()
  const session = useOwnSession()
  const { register, handleSubmit, reset, formState } = useContractForm(chooseOwnPassword.body, {
    old: '',
    password: '',
  })
  const setting = useOwnAct({
    send: (body: z.output<typeof chooseOwnPassword.body>) => call(chooseOwnPassword, { body }),
    notice: () => ({ text: t('own.choices.passwordChosen') }),
    makes: 'own-choices',
    onDone: () => reset(),
  })
  return (
    <form
      noValidate
      onSubmit={event => void handleSubmit(body => setting.mutate(body))(event)}
      className="flex flex-wrap items-start gap-2"
    >
      {session.asksOldPassword && (
        <TextField
          label={t('own.choices.oldPassword')}
          className="min-w-60 flex-1"
          {...register('old')}
          type="password"
          autoComplete="current-password"
        />
      )}
      <TextField
        label={t('own.choices.password')}
        problem={formState.errors.password?.message}
        className="min-w-60 flex-1"
        {...register('password')}
        type="password"
        autoComplete="new-password"
      />
      <Button type="submit" className="mt-7 min-h-10" disabled={setting.isPending}>
        {t('own.choices.usePassword')}
      </Button>
    </form>
  )
}
