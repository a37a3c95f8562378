import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { endKey, listKeys, makeKey, type ApiKey } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { Field, FormProblem, inputStyle, TextField } from '../../parts/field.tsx'
import { DepartmentsField, useDepartmentsText } from './departments-slot.tsx'
import { ToldOnce } from './told-once.tsx'

/** Keys of programs: made, shown once, and ended. */
export function KeysCard() {
  const { t } = useTranslation()
  const [made, setMade] = useState<{ name: string; secret: string } | null>(null)
  const [isOpen, setOpen] = useState(false)
  const { data } = useQuery({
    queryKey: queryKeyOf('staffers', 'keys'),
    queryFn: ({ signal }) => call(listKeys, { signal }),
  })
  return (
    <Card title={t('staffers.keys.title')}>
      <p className="text-ink-2">{t('staffers.keys.text')}</p>
      <ul className="mt-2">
        {data?.keys.map(key => (
          <Key key={key.id} of={key} />
        ))}
      </ul>
      {made && (
        <ToldOnce
          what={t('staffers.keys.made', { name: made.name })}
          value={made.secret}
          copied={t('staffers.keys.copied')}
        />
      )}
      {isOpen && data ? (
        <KeyForm
          there={data.departments}
          onMade={next => {
            setMade(next)
            setOpen(false)
          }}
        />
      ) : (
        <Button className="mt-3" onClick={() => setOpen(true)}>
          {t('staffers.keys.new')}
        </Button>
      )}
    </Card>
  )
}

function Key({ of: { id, name, reach, departments, endsAt, usedAt, madeBy } }: { of: ApiKey }) {
  const { t } = useTranslation()
  const times = useTimes()
  const nameDepartments = useDepartmentsText()
  const ending = useAct({
    send: (key: number) => call(endKey, { params: { id: key }, body: {} }),
    notice: () => ({ text: t('staffers.keys.ended', { name }) }),
    makes: 'staffers-changed',
  })
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-x-4 border-t border-line py-2">
      <span>
        <b>{name}</b>
        <span className="block text-[0.95rem] text-ink-2">
          {[
            `${t(`staffers.keys.reach.${reach}`)}, ${nameDepartments(departments)}`,
            t('staffers.keys.until', { day: times.day(endsAt), by: madeBy }),
            usedAt ? t('staffers.keys.used', { at: times.short(usedAt) }) : t('staffers.keys.unused'),
          ].join(' · ')}
        </span>
      </span>
      <Button kind="link" disabled={ending.isPending} onClick={() => ending.mutate(id)}>
        {t('staffers.keys.end')}
      </Button>
    </li>
  )
}

/** The form of a new key, and the act that makes one. */
function useKeyForm(onMade: (made: { name: string; secret: string }) => void) {
  const form = useContractForm(makeKey.body, { name: '', reach: 'read', departments: null, days: 90 })
  const making = useAct({
    send: (body: z.output<typeof makeKey.body>) => call(makeKey, { body }),
    onDone: ({ key, secret }) => onMade({ name: key.name, secret }),
    quiet: true,
    makes: 'staffers-changed',
  })
  const make = (event: FormEvent) => void form.handleSubmit(body => making.mutate(body))(event)
  return { form, making, make }
}

function KeyForm({
  there,
  onMade,
}: {
  there: readonly string[]
  onMade: (made: { name: string; secret: string }) => void
}) {
  const { t } = useTranslation()
  const { form, making, make } = useKeyForm(onMade)
  const { register, formState, setValue, watch } = form
  return (
    <form noValidate className="mt-3 grid gap-3 border-t border-line pt-3" onSubmit={make}>
      <TextField
        label={t('staffers.keys.name')}
        problem={formState.errors.name?.message}
        {...register('name')}
        autoFocus
        autoComplete="off"
      />
      <Field label={t('staffers.keys.may')}>
        {input => (
          <select {...input} {...register('reach')} className={inputStyle}>
            {(['read', 'act', 'steward'] as const).map(reach => (
              <option key={reach} value={reach}>
                {t(`staffers.keys.reach.${reach}`)}
              </option>
            ))}
          </select>
        )}
      </Field>
      <DepartmentsField
        label={t('staffers.keys.departments')}
        value={watch('departments') ?? null}
        there={there}
        onPick={value => setValue('departments', value)}
      />
      <TextField
        label={t('staffers.keys.days')}
        problem={formState.errors.days?.message}
        {...register('days', { valueAsNumber: true })}
        type="number"
        min={1}
        max={730}
        look={`${inputStyle} max-w-28`}
      />
      {making.isError && <FormProblem>{problemOf(making.error).text}</FormProblem>}
      <Button kind="main" type="submit" disabled={making.isPending} className="justify-self-start">
        {t('staffers.keys.go')}
      </Button>
    </form>
  )
}
