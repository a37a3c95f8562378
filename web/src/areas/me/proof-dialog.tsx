import { useState } from 'react'
import { startAuthentication } from '@simplewebauthn/browser'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { useLocation } from 'react-router'
import { beginProof, proveAgain, proveByIdentity } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useProof } from '../../app/proof.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { FormProblem, TextField } from '../../parts/field.tsx'
import { leaveFor } from '../sign-in/identity.tsx'
import { useIdentity } from './identity-card.tsx'
import { asAnswer, asOptions, sayPasskey } from './passkeys.ts'

/** Asked before what can't be taken back; the request that asked for it goes on when it is answered. */
export function ProofDialog() {
  const { t } = useTranslation()
  const answer = useProof(state => state.answer)
  return (
    <Dialog
      open
      onOpenChange={open => !open && answer?.(false)}
      title={t('me.proof.title')}
      text={t('me.proof.text')}
    >
      <Ask onProven={() => answer?.(true)} />
    </Dialog>
  )
}

function Ask({ onProven }: { onProven: () => void }) {
  const { data, error } = useQuery({
    queryKey: queryKeyOf('me', 'proof'),
    queryFn: () => call(beginProof, { body: {} }),
    staleTime: Infinity,
    gcTime: 0,
    refetchOnWindowFocus: false,
  })
  if (error) return <p className="mt-4 text-stop">{problemOf(error).text}</p>
  if (!data) return null
  const { kinds, options } = data
  if (kinds.includes('identity')) return <ByIdentity />
  const typed = kinds.find(kind => kind !== 'passkey')
  return (
    <div className="mt-4 grid gap-4">
      {options && <ByPasskey onProven={onProven} />}
      {/* A recovery code will do where a passkey is all there is. */}
      <ByText kind={typed === 'password' ? 'password' : 'code'} onProven={onProven} />
    </div>
  )
}

function ByPasskey({ onProven }: { onProven: () => void }) {
  const { t } = useTranslation()
  const proving = useAct({
    send: async () => {
      // A challenge is good for one answer: each try asks for another.
      const { options } = await call(beginProof, { body: {} })
      const passkey = await startAuthentication({ optionsJSON: asOptions(options ?? {}) })
      return call(proveAgain, { body: { passkey: asAnswer(passkey) } })
    },
    onDone: onProven,
    quiet: true,
  })
  return (
    <div>
      <Button kind="main" disabled={proving.isPending} onClick={() => proving.mutate()}>
        {t('me.proof.passkey')}
      </Button>
      {proving.isError && (
        <p role="alert" className="mt-1 text-stop">
          {sayPasskey(proving.error, t('me.proof.cancelled'))}
        </p>
      )}
    </div>
  )
}

/** Leads away and back: what was about to be done is done again. */
function ByIdentity() {
  const { t } = useTranslation()
  const { data } = useIdentity()
  const { pathname, search } = useLocation()
  const proving = useAct({
    send: () => call(proveByIdentity, { body: { from: pathname + search } }),
    onDone: leaveFor('staffer'),
    quiet: true,
  })
  return (
    <div className="mt-4">
      <Button
        kind="main"
        autoFocus
        disabled={!data || proving.isPending || proving.isSuccess}
        onClick={() => proving.mutate()}
      >
        {t('me.proof.identity', { provider: data?.provider ?? '' })}
      </Button>
      <p className="mt-2 text-ink-2">{t('me.proof.identityText')}</p>
      {proving.isError && <FormProblem className="mt-2">{problemOf(proving.error).text}</FormProblem>}
    </div>
  )
}

function ByText({ kind, onProven }: { kind: 'code' | 'password'; onProven: () => void }) {
  const { t } = useTranslation()
  const [text, setText] = useState('')
  const proving = useAct({
    send: () => call(proveAgain, { body: kind === 'code' ? { code: text } : { password: text } }),
    onDone: onProven,
    quiet: true,
  })
  return (
    <form
      className="grid gap-3"
      onSubmit={event => {
        event.preventDefault()
        proving.mutate()
      }}
    >
      <TextField
        label={t(`me.proof.${kind}`)}
        problem={proving.isError ? problemOf(proving.error).text : undefined}
        autoFocus
        value={text}
        type={kind === 'password' ? 'password' : 'text'}
        autoComplete={kind === 'password' ? 'current-password' : 'one-time-code'}
        onChange={({ target }) => setText(target.value)}
      />
      <Button
        type="submit"
        disabled={proving.isPending || text.trim().length < (kind === 'code' ? 6 : 1)}
        className="justify-self-start"
      >
        {t('me.proof.go')}
      </Button>
    </form>
  )
}
