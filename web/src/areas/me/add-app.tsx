import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { renderSVG } from 'uqr'
import { addCodes, beginCodes } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { TextField } from '../../parts/field.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { FactorForm, useAddFactor, type Adding } from './factor-form.tsx'

/** An app with one-time codes: its secret as a picture, and its first code as the proof that it has it. */
export function AddApp({ onDone, onCancel }: Adding) {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('me', 'new-codes'),
    queryFn: () => call(beginCodes, { body: {} }),
    // Each look makes another secret.
    staleTime: Infinity,
    gcTime: 0,
    refetchOnWindowFocus: false,
  })
  if (error) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={3} />
  return (
    <div className="mt-3 border-t border-line pt-3">
      <p>{t('me.factors.scan')}</p>
      <div className="mt-2 flex flex-wrap items-start gap-5">
        <img
          alt={t('me.factors.picture')}
          src={`data:image/svg+xml;utf8,${encodeURIComponent(renderSVG(data.uri))}`}
          className="size-44 rounded-md border border-line bg-white p-1"
        />
        <div className="min-w-60 flex-1">
          <p className="font-mono text-[0.95rem] break-all select-all">{inFours(data.secret)}</p>
          <FirstCode onDone={onDone} onCancel={onCancel} />
        </div>
      </div>
    </div>
  )
}

const inFours = (secret: string) => secret.match(/.{1,4}/g)?.join(' ') ?? ''

function FirstCode({ onDone, onCancel }: Adding) {
  const { t } = useTranslation()
  const [code, setCode] = useState('')
  const [name, setName] = useState(t('me.factors.nameCode'))
  const adding = useAddFactor(() => call(addCodes, { body: { code, name } }), { onDone })
  return (
    <FactorForm
      name={name}
      onName={setName}
      go={t('me.factors.keepCode')}
      mayGo={!adding.isPending && code.trim().length >= 6}
      onGo={() => adding.mutate()}
      onCancel={onCancel}
    >
      <TextField
        label={t('me.factors.code6')}
        problem={adding.isError ? problemOf(adding.error).text : undefined}
        value={code}
        autoFocus
        inputMode="numeric"
        autoComplete="one-time-code"
        maxLength={10}
        onChange={({ target }) => setCode(target.value)}
      />
    </FactorForm>
  )
}
