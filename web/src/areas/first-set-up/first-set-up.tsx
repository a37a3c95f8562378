import { queryKeyOf } from '../../app/query-keys.ts'
import { useQueryClient } from '@tanstack/react-query'
import type { UseFormReturn } from 'react-hook-form'
import type { z } from 'zod'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { beginSetUp, type SetUpProblem } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { enter } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { Field, FormProblem, inputStyle, TextField } from '../../parts/field.tsx'

type SetUpForm = UseFormReturn<z.input<typeof beginSetUp.body>, unknown, z.output<typeof beginSetUp.body>>

/** Shown once, on an empty installation: the least that is needed to take in the first message. */
export function FirstSetUp() {
  const { t } = useTranslation()
  const client = useQueryClient()
  const navigate = useNavigate()
  const form = useContractForm(beginSetUp.body, {
    organisation: '',
    timeZone: Intl.DateTimeFormat().resolvedOptions().timeZone,
    ownDomains: '',
    trustedHosts: '',
    gateways: '',
    mailboxes: '',
    name: '',
    signIn: '',
    password: '',
  })
  const setting = useAct({
    send: async (body: z.output<typeof beginSetUp.body>) => {
      await call(beginSetUp, { body })
      client.setQueryData(queryKeyOf('set-up'), { needed: false })
      // Signing in leads to where one came from.
      await navigate('/sign-in', { replace: true, state: { from: '/organisation/steps' } })
      await enter(client, body)
    },
    quiet: true,
  })
  return (
    <main className="mx-auto max-w-2xl px-6 py-10">
      <h1 className="font-serif text-[1.7rem] font-semibold">{t('setUp.title')}</h1>
      <p className="mt-2 mb-6 text-ink-2">{t('setUp.text')}</p>
      <form
        noValidate
        onSubmit={event => void form.handleSubmit(body => setting.mutate(body))(event)}
        className="grid gap-4"
      >
        <OrganisationFields form={form} />
        <YouFields form={form} />
        {setting.isError && <Wrong error={setting.error} />}
        <Button kind="main" type="submit" disabled={setting.isPending} className="justify-self-start">
          {t('setUp.go')}
        </Button>
      </form>
    </main>
  )
}

function OrganisationFields({ form }: { form: SetUpForm }) {
  const { t } = useTranslation()
  const { register, formState } = form
  const problem = (name: keyof z.input<typeof beginSetUp.body>) => formState.errors[name]?.message
  const mono = `${inputStyle} font-mono`
  return (
    <>
      <TextField
        label={t('setUp.organisation')}
        problem={problem('organisation')}
        {...register('organisation')}
        autoFocus
      />
      <TextField label={t('setUp.timeZone')} problem={problem('timeZone')} {...register('timeZone')} />
      <Field label={t('setUp.ownDomains')} help={t('setUp.ownDomainsHelp')} problem={problem('ownDomains')}>
        {input => (
          <textarea
            {...input}
            {...register('ownDomains')}
            rows={2}
            placeholder="x.example"
            className={mono}
          />
        )}
      </Field>
      <Field label={t('setUp.trustedHosts')} help={t('setUp.trustedHostsHelp')}>
        {input => (
          <textarea
            {...input}
            {...register('trustedHosts')}
            rows={2}
            placeholder="mx.x.example"
            className={mono}
          />
        )}
      </Field>
      <Field label={t('setUp.gateways')} help={t('setUp.gatewaysHelp')}>
        {input => (
          <textarea {...input} {...register('gateways')} rows={2} placeholder="192.0.2.25" className={mono} />
        )}
      </Field>
      <Field label={t('setUp.mailboxes')} help={t('setUp.mailboxesHelp')} problem={problem('mailboxes')}>
        {input => (
          <textarea
            {...input}
            {...register('mailboxes')}
            rows={6}
            placeholder="anna@x.example, Anna Berg"
            className={mono}
          />
        )}
      </Field>
    </>
  )
}

function YouFields({ form: { register, formState } }: { form: SetUpForm }) {
  const { t } = useTranslation()
  const { errors } = formState
  return (
    <fieldset className="grid gap-4 border-t border-line-strong pt-4">
      <legend className="pr-3 font-serif text-[1.15rem] font-semibold">{t('setUp.you')}</legend>
      <TextField
        label={t('setUp.name')}
        problem={errors.name?.message}
        {...register('name')}
        autoComplete="name"
      />
      <TextField
        label={t('signIn.name')}
        problem={errors.signIn?.message}
        {...register('signIn')}
        autoComplete="username"
      />
      <TextField
        label={t('signIn.password')}
        help={t('setUp.passwordHelp')}
        problem={errors.password?.message}
        {...register('password')}
        type="password"
        autoComplete="new-password"
      />
    </fieldset>
  )
}

function Wrong({ error }: { error: Error }) {
  const { t } = useTranslation()
  const { text, facts } = problemOf(error)
  const wrong = Array.isArray(facts.wrong) ? (facts.wrong as SetUpProblem[]) : []
  return (
    <FormProblem>
      <p>{text}</p>
      <ul className="list-disc pl-5">
        {wrong.map(({ code, line }) => (
          <li key={`${code} ${line}`}>{t(`setUp.wrong.${code}`, { line })}</li>
        ))}
      </ul>
    </FormProblem>
  )
}
