import { useEffect, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  junkShown,
  readOwnJunk,
  reminders,
  setOwnJunk,
  undoOwnChange,
  type MailboxChange,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useOwnAct } from './use-own-act.ts'

type JunkChange = Extract<MailboxChange, { readonly what: 'junk-shown' | 'reminders' }>

type ToOf<W extends JunkChange['what']> = Extract<JunkChange, { readonly what: W }>['to']

/** When the page shows the junk folder, and how somebody who never looks is told of what is about to go; saved as it is chosen. */
export function OwnJunk() {
  const { t } = useTranslation()
  const { data } = useQuery({
    queryKey: queryKeyOf('own', 'junk'),
    queryFn: ({ signal }) => call(readOwnJunk, { signal }),
  })
  const undoing = useOwnAct({
    send: (id: number) => call(undoOwnChange, { params: { id }, body: {} }),
    notice: () => ({ text: t('own.undone') }),
    makes: 'own-changed',
  })
  const saving = useOwnAct({
    send: (change: JunkChange) => call(setOwnJunk, { body: { change, token: crypto.randomUUID() } }),
    notice: ({ change }) => ({
      text: t('own.choices.saved'),
      action: { label: t('own.undo'), run: () => undoing.mutate(change) },
    }),
    makes: 'own-changed',
  })
  // Chosen and not read back yet: the choice must not jump to what it was.
  const [chosen, setChosen] = useState<JunkChange | null>(null)
  useEffect(() => setChosen(null), [data])
  if (!data) return null
  const pick = (change: JunkChange) => {
    setChosen(change)
    saving.mutate(change, { onError: () => setChosen(null) })
  }
  const valueOf = <W extends JunkChange['what']>(what: W, saved: ToOf<W>): ToOf<W> =>
    chosen?.what === what ? (chosen.to as ToOf<W>) : saved
  return (
    <section className="mt-6">
      <h2 className="font-serif text-[1.15rem] font-semibold">{t('own.junk.title')}</h2>
      <p className="mt-1 text-ink-2">{t('own.junk.text')}</p>
      <div className="mt-3 grid gap-4 rounded-lg border border-line bg-sheet p-4">
        <Radios
          name="junk-shown"
          legend={t('own.junk.shown')}
          value={valueOf('junk-shown', data.shown)}
          options={junkShown.options.map(value => [value, t(`own.junk.is.${value}`)])}
          disabled={saving.isPending}
          onPick={to => pick({ what: 'junk-shown', was: data.shown, to })}
        />
        <Radios
          name="reminders"
          legend={t('own.junk.reminders')}
          value={valueOf('reminders', data.reminders)}
          options={reminders.options.map(value => [value, t(`own.junk.reminds.${value}`)])}
          disabled={saving.isPending}
          onPick={to => pick({ what: 'reminders', was: data.reminders, to })}
        />
      </div>
    </section>
  )
}

interface RadiosProps<T extends string> {
  readonly name: string
  readonly legend: string
  readonly value: T
  readonly options: readonly (readonly [value: T, text: string])[]
  readonly disabled: boolean
  readonly onPick: (value: T) => void
}

function Radios<T extends string>({ name, legend, value, options, disabled, onPick }: RadiosProps<T>) {
  return (
    <fieldset disabled={disabled}>
      <legend className="mb-1 font-semibold">{legend}</legend>
      {options.map(([one, text]) => (
        <label key={one} className="flex min-h-9 items-center gap-2">
          <input
            type="radio"
            name={name}
            checked={value === one}
            onChange={() => onPick(one)}
            className="size-4 accent-petrol"
          />
          {text}
        </label>
      ))}
    </fieldset>
  )
}
