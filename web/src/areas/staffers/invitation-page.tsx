import { useState } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate } from 'react-router'
import { acceptInvitation, readInvitation } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { enter } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { IdentityButton, useWaysIn } from '../sign-in/identity.tsx'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { Sentence } from '../../parts/sentence.tsx'

/** For whoever has a link: who invites whom, and a password of one's own. */
export function InvitationPage() {
  const { t } = useTranslation()
  // Read once: behind the # it went to no server.
  const [secret] = useState(() => window.location.hash.slice(1))
  const { data, error } = useQuery({
    queryKey: queryKeyOf('staffers', 'invitation', secret),
    queryFn: ({ signal }) => call(readInvitation, { body: { secret }, signal }),
    retry: false,
    staleTime: Infinity,
  })
  const ways = useWaysIn()
  return (
    <main className="mx-auto max-w-xl px-6 py-14">
      <h1 className="mb-3 font-serif text-[1.7rem] font-semibold">{t('staffers.invitation.title')}</h1>
      {error && (
        <>
          <p role="alert" className="text-stop">
            {secret.length < 20 ? t('staffers.invitation.over') : problemOf(error).text}
          </p>
          <p className="mt-3">
            <Link to="/sign-in" className="border-b border-current text-petrol">
              {t('staffers.invitation.signIn')}
            </Link>
          </p>
        </>
      )}
      {data && (
        <>
          <p>
            <Sentence text={t('staffers.invitation.text', data)} />
          </p>
          <ByAccount secret={secret} />
          {ways.data?.passwords && <Choose secret={secret} />}
        </>
      )}
    </main>
  )
}

/** By the account of the organisation, in place of a password. */
function ByAccount({ secret }: { secret: string }) {
  const { t } = useTranslation()
  const { data } = useWaysIn()
  if (!data || data.provider === '') return null
  return (
    <div className="mt-5">
      <IdentityButton as="invited" from="/review" secret={secret} kind="main">
        {t('signIn.identity', { provider: data.provider })}
      </IdentityButton>
      {data.passwords && <p className="mt-5 text-ink-2">{t('staffers.invitation.orPassword')}</p>}
    </div>
  )
}

function Choose({ secret }: { secret: string }) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const navigate = useNavigate()
  const [password, typePassword] = useState('')
  const accepting = useAct({
    send: async () => {
      const { signIn } = await call(acceptInvitation, { body: { secret, password } })
      await enter(client, { signIn, password })
    },
    onDone: () => void navigate('/review', { replace: true }),
    quiet: true,
  })
  return (
    <form
      className="mt-4 grid gap-4"
      onSubmit={event => {
        event.preventDefault()
        accepting.mutate()
      }}
    >
      <TextField
        label={t('staffers.invitation.password')}
        problem={accepting.isError ? problemOf(accepting.error).text : ''}
        type="password"
        autoComplete="new-password"
        minLength={12}
        required
        value={password}
        onChange={({ target }) => typePassword(target.value)}
      />
      <Button kind="main" type="submit" disabled={accepting.isPending} className="justify-self-start">
        {t('staffers.invitation.go')}
      </Button>
    </form>
  )
}
