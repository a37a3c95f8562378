import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape, RouteHost } from '@pendro/contract'
import { Button } from '../../../parts/buttons.tsx'
import { Field, inputStyle, TextField } from '../../../parts/field.tsx'
import { Lines, Select } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'

type Routes = OrganisationSettingsShape['routes']

const newHost: RouteHost = {
  host: '',
  port: 25,
  protocol: 'smtp',
  tls: 'starttls',
  certificate: '',
  user: '',
}

/** The servers mail goes on to, in the order they are tried. */
export function RoutesCard({ data: { routes }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="routes" saved={routes} may={may}>
      {(draft, onChange) => (
        <>
          <Hosts
            title={t('organisation.routes.smartHosts')}
            none={t('organisation.routes.noSmartHost')}
            hosts={draft.smartHosts}
            onChange={smartHosts => onChange({ ...draft, smartHosts })}
          />
          {draft.stores.map((store, i) => (
            <Store
              key={i}
              store={store}
              onChange={one =>
                onChange({ ...draft, stores: draft.stores.map((other, n) => (n === i ? one : other)) })
              }
            />
          ))}
          {draft.stores.length === 0 && <p className="mt-3 text-ink-2">{t('organisation.routes.none')}</p>}
          <Button
            className="mt-3"
            onClick={() =>
              onChange({ ...draft, stores: [...draft.stores, { domains: [], hosts: [newHost] }] })
            }
          >
            {t('organisation.routes.addStore')}
          </Button>
        </>
      )}
    </SettingCard>
  )
}

function Store({
  store,
  onChange,
}: {
  store: Routes['stores'][number]
  onChange: (store: Routes['stores'][number]) => void
}) {
  const { t } = useTranslation()
  const title =
    store.domains.length === 0
      ? t('organisation.routes.storeOfRest')
      : `${t('organisation.routes.store')} ${store.domains.join(', ')}`
  return (
    <div className="mt-3 border-t border-line pt-3">
      <Hosts title={title} hosts={store.hosts} onChange={hosts => onChange({ ...store, hosts })}>
        <Lines
          label={t('organisation.routes.domains')}
          values={store.domains}
          onChange={domains => onChange({ ...store, domains })}
        />
      </Hosts>
    </div>
  )
}

function Hosts({
  title,
  none,
  hosts,
  onChange,
  children,
}: {
  title: string
  none?: string
  hosts: readonly RouteHost[]
  onChange: (hosts: RouteHost[]) => void
  children?: React.ReactNode
}) {
  const { t } = useTranslation()
  return (
    <fieldset className="mt-2 min-w-0">
      <legend className="font-semibold">{title}</legend>
      {children}
      {hosts.length === 0 && none !== undefined && <p className="text-ink-2">{none}</p>}
      <ol>
        {hosts.map((host, i) => (
          <li key={i} className="mt-2 rounded-md border border-line px-3 py-2">
            <Host host={host} onChange={one => onChange(hosts.map((other, n) => (n === i ? one : other)))} />
            <div className="mt-2 flex flex-wrap gap-4">
              {i > 0 && (
                <Button kind="link" onClick={() => onChange(earlier(hosts, i))}>
                  {t('organisation.routes.up', { host: host.host || t('organisation.routes.host') })}
                </Button>
              )}
              <Button kind="link" onClick={() => onChange(hosts.filter((_, n) => n !== i))}>
                {t('organisation.routes.remove', { host: host.host || t('organisation.routes.host') })}
              </Button>
            </div>
          </li>
        ))}
      </ol>
      <Button className="mt-2" onClick={() => onChange([...hosts, newHost])}>
        {t('organisation.routes.add')}
      </Button>
    </fieldset>
  )
}

/** One place earlier in the order. */
const earlier = (hosts: readonly RouteHost[], i: number): RouteHost[] => [
  ...hosts.slice(0, i - 1),
  ...hosts.slice(i, i + 1),
  ...hosts.slice(i - 1, i),
  ...hosts.slice(i + 1),
]

function Host({ host, onChange }: { host: RouteHost; onChange: (host: RouteHost) => void }) {
  const { t } = useTranslation()
  const text = (name: 'host' | 'user') => (
    <TextField
      label={t(`organisation.routes.${name}`)}
      value={host[name]}
      spellCheck={false}
      maxLength={name === 'host' ? 253 : 200}
      onChange={({ target }) => onChange({ ...host, [name]: target.value.trim() })}
    />
  )
  return (
    <>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(9rem,1fr))] items-end gap-x-3 gap-y-2">
        {text('host')}
        <TextField
          label={t('organisation.routes.port')}
          type="number"
          min={1}
          max={65_535}
          value={host.port || ''}
          onChange={({ target }) => onChange({ ...host, port: target.valueAsNumber || 0 })}
        />
        <Select
          label={t('organisation.routes.protocol')}
          all={['smtp', 'lmtp'] as const}
          chosen={host.protocol}
          nameOf={one => t(`organisation.routes.protocols.${one}`)}
          onChange={protocol => onChange({ ...host, protocol })}
        />
        <Select
          label={t('organisation.routes.tls')}
          all={['starttls', 'implicit', 'off'] as const}
          chosen={host.tls}
          nameOf={one => t(`organisation.routes.tlss.${one}`)}
          onChange={tls => onChange({ ...host, tls })}
        />
        {host.tls !== 'off' && text('user')}
      </div>
      {host.tls === 'off' && <p className="mt-1 text-ink-2">{t('organisation.routes.tlsOff')}</p>}
      {host.tls !== 'off' && <Certificate host={host} onChange={onChange} />}
    </>
  )
}

function Certificate({ host, onChange }: { host: RouteHost; onChange: (host: RouteHost) => void }) {
  const { t } = useTranslation()
  return (
    <Field
      label={t('organisation.routes.certificate')}
      help={t('organisation.routes.certificateHelp')}
      className="mt-2"
    >
      {input => (
        <textarea
          {...input}
          rows={2}
          value={host.certificate}
          spellCheck={false}
          maxLength={20_000}
          onChange={({ target }) => onChange({ ...host, certificate: target.value })}
          className={`${inputStyle} font-mono text-[0.86rem]`}
        />
      )}
    </Field>
  )
}
