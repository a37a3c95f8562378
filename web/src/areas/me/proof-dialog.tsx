import { useState } from 'react'
import { startAuthentication } from '@simplewebauthn/browser'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { beginProof, proveAgain } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useProof } from '../../app/proof.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { Field, inputStyle } from '../../parts/field.tsx'
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
      <Field
        label={t(`me.proof.${kind}`)}
        problem={proving.isError ? problemOf(proving.error).text : undefined}
      >
        {input => (
          <input
            {...input}
            autoFocus
            value={text}
            type={kind === 'password' ? 'password' : 'text'}
            autoComplete={kind === 'password' ? 'current-password' : 'one-time-code'}
            onChange={({ target }) => setText(target.value)}
            className={inputStyle}
          />
        )}
      </Field>
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
