import { useState } from 'react'
import { browserSupportsWebAuthn, startAuthentication } from '@simplewebauthn/browser'
import type {
  AuthenticationResponseJSON,
  PublicKeyCredentialRequestOptionsJSON,
} from '@simplewebauthn/browser'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { beginPasskeySignIn, type FactorKind, type usedPasskey } from '@pendro/contract'
import { call, Problem, problemOf } from '../../app/api.ts'
import { enterBy } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem, inputStyle, TextField } from '../../parts/field.tsx'

/** Passkeys belong to a name (WebAuthn Level 3 §5.1.2); an address in numbers has none. */
const mayPasskey = () => browserSupportsWebAuthn() && !/^[\d.]+$|:/.test(window.location.hostname)

function useEnterByPasskey(onDone?: () => void) {
  const client = useQueryClient()
  return useAct({
    send: async () => {
      const { options } = await call(beginPasskeySignIn, { body: {} })
      const answer: AuthenticationResponseJSON = await startAuthentication({
        optionsJSON: options as object as PublicKeyCredentialRequestOptionsJSON,
      })
      await enterBy(client, { passkey: answer as z.input<typeof usedPasskey> })
    },
    onDone: () => onDone?.(),
    quiet: true,
  })
}

/** Signs in by a passkey, alone or after the password. */
export function PasskeyButton({
  className,
  takesFocus = false,
  onDone,
}: {
  className: string
  takesFocus?: boolean
  onDone?: (() => void) | undefined
}) {
  const { t } = useTranslation()
  const entering = useEnterByPasskey(onDone)
  if (!mayPasskey()) return null
  return (
    <>
      <Button
        className={className}
        autoFocus={takesFocus}
        disabled={entering.isPending}
        onClick={() => entering.mutate()}
      >
        {t('signIn.passkey')}
      </Button>
      {entering.isError && (
        <FormProblem className="mt-3">
          {entering.error instanceof Problem ? problemOf(entering.error).text : t('signIn.cancelled')}
        </FormProblem>
      )}
    </>
  )
}

/** After the right password: a code, a recovery code or a passkey. */
export function SecondStep({
  factors,
  text,
  onDone,
  onBack,
}: {
  factors: readonly FactorKind[]
  /** What was right so far. */
  text: string
  onDone?: (() => void) | undefined
  onBack: () => void
}) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const [code, setCode] = useState('')
  const proving = useAct({ send: () => enterBy(client, { code }), onDone: () => onDone?.(), quiet: true })
  return (
    <form
      onSubmit={event => {
        event.preventDefault()
        proving.mutate()
      }}
    >
      <h1 className="mb-2 font-serif text-[1.35rem] font-semibold">{t('signIn.second')}</h1>
      <p className="mb-5 text-ink-2">{text}</p>
      {factors.includes('passkey') && (
        <PasskeyButton
          takesFocus={!factors.includes('code')}
          className="mb-5 w-full justify-center py-2.5"
          onDone={onDone}
        />
      )}
      <TextField
        label={t(factors.includes('code') ? 'signIn.code' : 'signIn.recovery')}
        problem={proving.isError ? problemOf(proving.error).text : undefined}
        className="mb-5"
        autoFocus={factors.includes('code')}
        value={code}
        autoComplete="one-time-code"
        maxLength={40}
        onChange={({ target }) => setCode(target.value)}
        look={`${inputStyle} py-2.5 text-[1.05rem]`}
      />
      <Button
        kind="main"
        type="submit"
        disabled={proving.isPending || code.trim().length < 6}
        className="w-full justify-center py-2.5 text-[1.05rem]"
      >
        {t('signIn.go')}
      </Button>
      <Button kind="link" className="mt-5" onClick={onBack}>
        {t('signIn.back')}
      </Button>
    </form>
  )
}
