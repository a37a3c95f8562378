import { useState } from 'react'
import { startRegistration } from '@simplewebauthn/browser'
import { useTranslation } from 'react-i18next'
import { addPasskey, beginPasskey } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { FormProblem } from '../../parts/field.tsx'
import { FactorForm, useAddFactor, type Adding } from './factor-form.tsx'
import { asAnswer, asOptions, sayPasskey } from './passkeys.ts'

/** A passkey of this browser or of a device at hand. */
export function AddPasskey({ onDone, onCancel }: Adding) {
  const { t } = useTranslation()
  const [name, setName] = useState(t('me.factors.namePasskey'))
  const adding = useAddFactor(
    async () => {
      const { options } = await call(beginPasskey, { body: {} })
      const passkey = await startRegistration({ optionsJSON: asOptions(options) })
      return call(addPasskey, { body: { name, passkey: asAnswer(passkey) } })
    },
    { onDone },
  )
  return (
    <FactorForm
      className="border-t border-line pt-3"
      name={name}
      onName={setName}
      focusName
      go={t('me.factors.makePasskey')}
      mayGo={!adding.isPending}
      onGo={() => adding.mutate()}
      onCancel={onCancel}
    >
      {adding.isError && <FormProblem>{sayPasskey(adding.error, t('me.factors.cancelled'))}</FormProblem>}
    </FactorForm>
  )
}
