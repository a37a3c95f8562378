import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { StoreStateShape } from '@pendro/contract'
import { maySteer, useSession } from '../../../app/session.ts'
import { useTimes } from '../../../app/times.ts'
import { AreaPage } from '../../../parts/area-page.tsx'
import { Card } from '../../../parts/card.tsx'
import { Failed, SkeletonRows } from '../../../parts/states.tsx'
import { useSettings } from '../use-settings.ts'
import { DeclareAway, OutagesCard } from './outages-card.tsx'
import { MovesCard } from './moves-setting.tsx'
import { StandbyCard } from './standby-setting.tsx'
import { StoresCard } from './store-setting.tsx'
import { useStores } from './use-stores.ts'

/** Mail stores: how looking into them goes, and how they are set. */
export function StoresPage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useStores()
  const settings = useSettings()
  const may = maySteer(useSession())
  return (
    <AreaPage
      title={t('stores.title')}
      lead={
        <>
          {t('stores.lead')}{' '}
          <Link to="/organisation" className="border-b border-current text-petrol">
            {t('doors.back')}
          </Link>
        </>
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={5} />}
      {data && settings.data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-[minmax(0,4fr)_minmax(0,5fr)]">
          <div className="grid min-w-0 gap-3">
            <OutagesCard may={may} />
            <Now stores={data.stores} may={may} />
            <StandbyCard data={settings.data} may={may} />
            <MovesCard data={settings.data} may={may} />
          </div>
          <StoresCard data={settings.data} may={may} />
        </div>
      )}
    </AreaPage>
  )
}

function Now({ stores, may }: { stores: readonly StoreStateShape[]; may: boolean }) {
  const { t } = useTranslation()
  return (
    <Card title={t('stores.now')}>
      {stores.length === 0 && <p className="text-ink-2">{t('stores.nowNone')}</p>}
      <ul className="grid gap-3">
        {stores.map((store, i) => (
          <li key={i} className="border-t border-line pt-2 first:border-0 first:pt-0">
            <State store={store} />
          </li>
        ))}
      </ul>
      {may && <DeclareAway />}
    </Card>
  )
}

function State({ store }: { store: StoreStateShape }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { name, houses, domains, imap, sieve, mailboxes, fresh, oldest, troubles, scripts } = store
  return (
    <>
      <h4 className="font-semibold">{name || t('stores.unnamed')}</h4>
      <p className="text-ink-2">
        {houses === 'domains' ? domains.join(', ') : t(`stores.housed.${houses}`)} ·{' '}
        {t('stores.mailboxes', { count: mailboxes })}
      </p>
      <p>
        {imap ? t('stores.looked', { fresh, count: mailboxes }) : t('stores.notLooked')}{' '}
        {imap && oldest !== null && fresh < mailboxes && t('stores.oldest', { time: times.full(oldest) })}
      </p>
      {sieve && <p>{t('stores.scripted', { kept: scripts.kept, count: mailboxes })}</p>}
      {scripts.differ > 0 && <Differing scripts={scripts} />}
      {troubles.map(({ trouble, mailboxes: count, detail, since }) => (
        <div
          key={trouble}
          role="status"
          className="mt-2 rounded-md border border-amber/50 bg-amber-tint px-3 py-2"
        >
          <p className="font-semibold">
            {t('stores.troubled', { count })}{' '}
            {since !== null && t('stores.since', { time: times.full(since) })}
          </p>
          <p>{t(`stores.trouble.${trouble || 'refused'}`)}</p>
          {detail !== '' && <p className="break-words text-ink-2">“{detail}”</p>}
        </div>
      ))}
    </>
  )
}

/** Mailboxes where somebody has to decide what counts at the store. */
function Differing({ scripts: { differ, first } }: { scripts: StoreStateShape['scripts'] }) {
  const { t } = useTranslation()
  return (
    <p role="status" className="font-semibold text-amber">
      {t('stores.scriptsDiffer')}{' '}
      {first.map(({ mailboxId, name }, i) => (
        <span key={mailboxId}>
          {i > 0 && ', '}
          <Link to={`/mailboxes/${mailboxId}/rules/store`} className="border-b border-current">
            {name}
          </Link>
        </span>
      ))}
      {differ > first.length && ` ${t('stores.andMore', { count: differ - first.length })}`}
    </p>
  )
}
