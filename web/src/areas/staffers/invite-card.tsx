import { ToldOnce } from './told-once.tsx'
import { RoleChoice } from './role-choice.tsx'
import { useDepartmentsText, DepartmentsField } from './departments-slot.tsx'
import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { inviteStaffer, withdrawInvitation, type InvitationRow } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem, TextField } from '../../parts/field.tsx'
import { Card } from '../../parts/card.tsx'

/** Where a link leads; the secret stands behind the #, so that no server on the way writes it down. */
const linkOf = (secret: string) => `${window.location.origin}/invitation#${secret}`

/** Who was invited; `link`: `null` where it is on its way as a message. */
interface Made {
  readonly name: string
  readonly link: string | null
}

/** Makes a link for somebody new, and shows who has not taken theirs up yet. */
export function InviteCard({
  invitations,
  departments,
}: {
  invitations: readonly InvitationRow[]
  departments: readonly string[]
}) {
  const { t } = useTranslation()
  const [made, setMade] = useState<Made | null>(null)
  return (
    <Card title={t('staffers.invite.title')}>
      <p className="text-ink-2">{t('staffers.invite.text')}</p>
      <InviteForm departments={departments} onMade={setMade} />
      {made && made.link === null && (
        <p role="status" className="mt-3 rounded-md bg-tint px-3 py-2">
          {t('staffers.invite.mailed', { name: made.name })}
        </p>
      )}
      {made && made.link !== null && (
        <ToldOnce
          what={t('staffers.invite.link', { name: made.name })}
          value={made.link}
          copied={t('staffers.invite.copied')}
        />
      )}
      {invitations.length > 0 && (
        <>
          <h4 className="mt-4 mb-1 font-bold text-ink-2">{t('staffers.invite.open')}</h4>
          <ul>
            {invitations.map(invitation => (
              <Invitation key={invitation.id} invitation={invitation} />
            ))}
          </ul>
        </>
      )}
    </Card>
  )
}

function InviteForm({
  departments,
  onMade,
}: {
  departments: readonly string[]
  onMade: (made: Made) => void
}) {
  const { t } = useTranslation()
  const { register, handleSubmit, formState, reset, setValue, watch } = useContractForm(inviteStaffer.body, {
    name: '',
    signIn: '',
    role: 'helpdesk',
    departments: null,
    mailTo: '',
  })
  const inviting = useAct({
    send: (body: z.output<typeof inviteStaffer.body>) => call(inviteStaffer, { body }),
    onDone: ({ invitation, secret }) => {
      onMade({ name: invitation.name, link: secret === null ? null : linkOf(secret) })
      reset()
    },
    quiet: true,
    makes: 'staffers-changed',
  })
  const problem = (name: 'name' | 'signIn') => formState.errors[name]?.message
  return (
    <form
      noValidate
      className="mt-3 grid gap-3"
      onSubmit={event => void handleSubmit(body => inviting.mutate(body))(event)}
    >
      <TextField label={t('staffers.invite.name')} problem={problem('name')} {...register('name')} />
      <TextField
        label={t('staffers.invite.signIn')}
        problem={problem('signIn')}
        {...register('signIn')}
        autoComplete="off"
      />
      <p className="font-semibold">
        {t('staffers.invite.role')}{' '}
        <RoleChoice
          label={t('staffers.invite.role')}
          role={watch('role')}
          onPick={role => setValue('role', role)}
        />
      </p>
      <DepartmentsField
        label={t('staffers.invite.departments')}
        value={watch('departments') ?? null}
        there={departments}
        onPick={value => setValue('departments', value)}
      />
      <TextField
        label={t('staffers.invite.mailTo')}
        help={t('staffers.invite.mailToHelp')}
        problem={formState.errors.mailTo?.message}
        {...register('mailTo')}
        autoComplete="off"
      />
      {inviting.isError && <FormProblem>{problemOf(inviting.error).text}</FormProblem>}
      <Button kind="main" type="submit" disabled={inviting.isPending} className="justify-self-start">
        {t(watch('mailTo') ? 'staffers.invite.send' : 'staffers.invite.go')}
      </Button>
    </form>
  )
}

function Invitation({
  invitation: { id, name, signIn, role, departments, by, expiresAt },
}: {
  invitation: InvitationRow
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const nameDepartments = useDepartmentsText()
  const withdrawing = useAct({
    send: (of: number) => call(withdrawInvitation, { params: { id: of }, body: {} }),
    notice: () => ({ text: t('staffers.invite.withdrawn') }),
    makes: 'staffers-changed',
  })
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-x-4 border-t border-line py-1.5">
      <span>
        <b>{name}</b>{' '}
        <span className="text-ink-2">
          {t('staffers.invite.until', {
            signIn,
            role: t(`roles.${role}`),
            departments: nameDepartments(departments),
            by,
            at: times.full(expiresAt),
          })}
        </span>
      </span>
      <Button kind="link" disabled={withdrawing.isPending} onClick={() => withdrawing.mutate(id)}>
        {t('staffers.invite.withdraw')}
      </Button>
    </li>
  )
}
