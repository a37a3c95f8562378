import { queryKeyOf } from '../../app/query-keys.ts'
import { useState, type FormEvent, type ReactNode } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { beginSetUp, type SetUpProblem } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { enter } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'

const field = 'w-full rounded-md border border-line-strong bg-raised px-3 py-2'

interface Refused {
  readonly text: string
  readonly wrong: readonly SetUpProblem[]
}

/** Sends the form; what is wrong with it stays until it is sent again. */
function useSetUp() {
  const client = useQueryClient()
  const [problem, setProblem] = useState<Refused | null>(null)
  const [busy, setBusy] = useState(false)
  const submit = async (event: FormEvent<HTMLFormElement>) => {
    event.preventDefault()
    const form = new FormData(event.currentTarget)
    const text = (name: string) => String(form.get(name) ?? '')
    setBusy(true)
    setProblem(null)
    try {
      const who = { signIn: text('signIn'), password: text('password') }
      await call(beginSetUp, {
        body: {
          ...who,
          organisation: text('organisation'),
          timeZone: text('timeZone'),
          ownDomains: text('ownDomains'),
          trustedHosts: text('trustedHosts'),
          gateways: text('gateways'),
          mailboxes: text('mailboxes'),
          name: text('name'),
        },
      })
      client.setQueryData(queryKeyOf('set-up'), { needed: false })
      await enter(client, who)
    } catch (error) {
      const { text, facts } = problemOf(error)
      setProblem({ text, wrong: Array.isArray(facts.wrong) ? (facts.wrong as SetUpProblem[]) : [] })
    } finally {
      setBusy(false)
    }
  }
  return { problem, busy, submit }
}

/** Shown once, on an empty installation: the least that is needed to take in the first message. */
export function FirstSetUp() {
  const { t } = useTranslation()
  const { problem, busy, submit } = useSetUp()
  return (
    <main className="mx-auto max-w-2xl px-6 py-10">
      <h1 className="font-serif text-[1.7rem] font-semibold">{t('setUp.title')}</h1>
      <p className="mt-2 mb-6 text-ink-2">{t('setUp.text')}</p>
      <form onSubmit={event => void submit(event)} className="grid gap-4">
        <OrganisationFields />
        <YouFields />
        {problem && <Wrong problem={problem} />}
        <Button kind="main" type="submit" disabled={busy} className="justify-self-start">
          {t('setUp.go')}
        </Button>
      </form>
    </main>
  )
}

function OrganisationFields() {
  const { t } = useTranslation()
  return (
    <>
      <Field label={t('setUp.organisation')}>
        <input name="organisation" required autoFocus className={field} />
      </Field>
      <Field label={t('setUp.timeZone')}>
        <input
          name="timeZone"
          required
          defaultValue={Intl.DateTimeFormat().resolvedOptions().timeZone}
          className={field}
        />
      </Field>
      <Field label={t('setUp.ownDomains')} help={t('setUp.ownDomainsHelp')}>
        <textarea
          name="ownDomains"
          required
          rows={2}
          placeholder="x.example"
          className={`${field} font-mono`}
        />
      </Field>
      <Field label={t('setUp.trustedHosts')} help={t('setUp.trustedHostsHelp')}>
        <textarea name="trustedHosts" rows={2} placeholder="mx.x.example" className={`${field} font-mono`} />
      </Field>
      <Field label={t('setUp.gateways')} help={t('setUp.gatewaysHelp')}>
        <textarea name="gateways" rows={2} placeholder="192.0.2.25" className={`${field} font-mono`} />
      </Field>
      <Field label={t('setUp.mailboxes')} help={t('setUp.mailboxesHelp')}>
        <textarea
          name="mailboxes"
          required
          rows={6}
          placeholder="anna@x.example, Anna Berg"
          className={`${field} font-mono`}
        />
      </Field>
    </>
  )
}

function YouFields() {
  const { t } = useTranslation()
  return (
    <fieldset className="grid gap-4 border-t border-line-strong pt-4">
      <legend className="pr-3 font-serif text-[1.15rem] font-semibold">{t('setUp.you')}</legend>
      <Field label={t('setUp.name')}>
        <input name="name" required autoComplete="name" className={field} />
      </Field>
      <Field label={t('signIn.name')}>
        <input name="signIn" required autoComplete="username" className={field} />
      </Field>
      <Field label={t('signIn.password')} help={t('setUp.passwordHelp')}>
        <input
          name="password"
          type="password"
          required
          minLength={12}
          autoComplete="new-password"
          className={field}
        />
      </Field>
    </fieldset>
  )
}

function Wrong({ problem }: { problem: Refused }) {
  const { t } = useTranslation()
  return (
    <div role="alert" className="rounded-md border border-stop/40 bg-amber-tint px-3 py-2 text-stop">
      <p>{problem.text}</p>
      <ul className="list-disc pl-5">
        {problem.wrong.map(({ code, line }) => (
          <li key={`${code} ${line}`}>{t(`setUp.wrong.${code}`, { line })}</li>
        ))}
      </ul>
    </div>
  )
}

function Field({ label, help, children }: { label: string; help?: string; children: ReactNode }) {
  return (
    <label className="block">
      <span className="mb-1 block font-semibold">{label}</span>
      {children}
      {help !== undefined && <span className="mt-1 block text-[0.92rem] text-ink-2">{help}</span>}
    </label>
  )
}
