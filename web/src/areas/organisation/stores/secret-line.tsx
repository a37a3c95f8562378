import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { useTimes } from '../../../app/times.ts'
import { Button } from '../../../parts/buttons.tsx'
import { TextField } from '../../../parts/field.tsx'
import { accountName, useKeepSecret, useStores, type Account } from './use-stores.ts'

/** The password of an account: whether one is kept, and the way to set another. It is never shown. */
export function SecretLine({ account: given, may }: { account: Account; may: boolean }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { data } = useStores()
  const [isOpen, open] = useState(false)
  const [password, type] = useState('')
  const keeping = useKeepSecret(() => {
    type('')
    open(false)
  })
  if (!data) return null
  const account: Account = { user: given.user, host: given.host.toLowerCase(), port: given.port }
  const name = accountName(account)
  const kept = data.kept.find(one => one.account === name)
  if (!data.canKeep && !kept) return <p className="mt-1 text-ink-2">{t('stores.secret.noKey')}</p>
  if (!isOpen)
    return (
      <p className="mt-1 flex flex-wrap items-baseline gap-x-4">
        <span className={kept ? 'text-ink-2' : 'font-semibold text-amber'}>
          {kept ? t('stores.secret.kept', { since: times.day(kept.since) }) : t('stores.secret.none')}
        </span>
        {may && data.canKeep && (
          <Button kind="link" onClick={() => open(true)}>
            {t(kept ? 'stores.secret.another' : 'stores.secret.type')}
          </Button>
        )}
        {may && kept && (
          <Button
            kind="link"
            disabled={keeping.isPending}
            onClick={() => keeping.mutate({ account, password: '' })}
          >
            {t('stores.secret.remove')}
          </Button>
        )}
      </p>
    )
  return (
    <div className="mt-2 flex flex-wrap items-end gap-x-3 gap-y-2">
      <TextField
        className="min-w-[14rem] flex-1"
        label={t('stores.secret.label', { account: name })}
        type="password"
        autoComplete="new-password"
        value={password}
        maxLength={1000}
        onChange={({ target }) => type(target.value)}
      />
      <Button
        disabled={password === '' || keeping.isPending}
        onClick={() => keeping.mutate({ account, password })}
      >
        {t('stores.secret.keep')}
      </Button>
      <Button kind="link" onClick={() => open(false)}>
        {t('stores.secret.cancel')}
      </Button>
    </div>
  )
}
