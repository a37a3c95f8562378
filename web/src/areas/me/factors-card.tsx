import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import { removeFactor, renewRecovery, type Factor, type readFactors } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { AddApp } from './add-app.tsx'
import { AddPasskey } from './add-passkey.tsx'
import { RecoveryCodes } from './recovery-codes.tsx'

type Factors = z.output<typeof readFactors.response>

/** Second factors: those there are, adding one, and the codes for when all are lost. */
export function FactorsCard({
  factors: { factors, recoveryLeft, required, mayPasskey },
}: {
  factors: Factors
}) {
  const { t } = useTranslation()
  const [adding, setAdding] = useState<'passkey' | 'code' | null>(null)
  const [codes, setCodes] = useState<readonly string[] | null>(null)
  const done = (recoveryCodes: readonly string[] | null) => {
    setAdding(null)
    if (recoveryCodes) setCodes(recoveryCodes)
  }
  return (
    <Card title={t('me.factors.title')}>
      <p className="text-ink-2">
        {t('me.factors.text')} {required && t('me.factors.required')}
      </p>
      {factors.length === 0 && <p className="mt-2">{t('me.factors.none')}</p>}
      <ul className="mt-2">
        {factors.map(factor => (
          <Row key={factor.id} factor={factor} />
        ))}
      </ul>
      {adding === 'passkey' && <AddPasskey onDone={done} onCancel={() => setAdding(null)} />}
      {adding === 'code' && <AddApp onDone={done} onCancel={() => setAdding(null)} />}
      {adding === null && (
        <>
          <p className="mt-3 flex flex-wrap gap-3">
            <Button disabled={!mayPasskey} onClick={() => setAdding('passkey')}>
              {t('me.factors.addPasskey')}
            </Button>
            <Button onClick={() => setAdding('code')}>{t('me.factors.addCode')}</Button>
          </p>
          {!mayPasskey && <p className="mt-2 text-[0.95rem] text-ink-2">{t('me.factors.needsName')}</p>}
        </>
      )}
      {codes && <RecoveryCodes codes={codes} onKept={() => setCodes(null)} />}
      {!codes && factors.length > 0 && <Recovery left={recoveryLeft} onRenewed={setCodes} />}
    </Card>
  )
}

function Row({ factor: { id, kind, name, madeAt, usedAt } }: { factor: Factor }) {
  const { t } = useTranslation()
  const times = useTimes()
  const removing = useAct({
    send: (of: number) => call(removeFactor, { params: { id: of }, body: {} }),
    notice: () => ({ text: t('me.factors.removed') }),
    makes: 'me-changed',
  })
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-x-4 border-t border-line py-2">
      <span>
        <b className="font-semibold">{name || t(`me.factors.${kind}`)}</b>
        <span className="block text-[0.95rem] text-ink-2">
          {[
            ...(name ? [t(`me.factors.${kind}`)] : []),
            t('me.factors.made', { day: times.day(madeAt) }),
            usedAt ? t('me.factors.used', { at: times.short(usedAt) }) : t('me.factors.unused'),
          ].join(' · ')}
        </span>
      </span>
      <Button kind="link" disabled={removing.isPending} onClick={() => removing.mutate(id)}>
        {t('me.factors.remove')}
      </Button>
    </li>
  )
}

function Recovery({ left, onRenewed }: { left: number; onRenewed: (codes: readonly string[]) => void }) {
  const { t } = useTranslation()
  const renewing = useAct({
    send: () => call(renewRecovery, { body: {} }),
    onDone: ({ recoveryCodes }) => onRenewed(recoveryCodes),
    makes: 'me-changed',
  })
  return (
    <div className="mt-4 border-t border-line pt-3">
      <h4 className="font-semibold">{t('me.recovery.title')}</h4>
      <p className={left === 0 ? 'text-stop' : 'text-ink-2'}>
        {t('me.recovery.left', { count: left })} {left > 0 && t('me.recovery.text')}
      </p>
      <Button className="mt-2" disabled={renewing.isPending} onClick={() => renewing.mutate()}>
        {t('me.recovery.renew')}
      </Button>
    </div>
  )
}
