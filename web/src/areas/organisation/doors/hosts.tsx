import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { usualConnections, type RouteHost, type ServerAt } from '@pendro/contract'
import { Button } from '../../../parts/buttons.tsx'
import { Field, inputStyle, TextField } from '../../../parts/field.tsx'
import { Select } from '../fields.tsx'
import { SecretLine } from '../stores/secret-line.tsx'

/** A server as nobody has typed anything of it yet. */
export const newHost: RouteHost = {
  host: '',
  port: 25,
  protocol: 'smtp',
  tls: 'starttls',
  certificate: '',
  user: '',
}

/** Servers in the order they are tried. `may`: whoever looks may set passwords. */
export function Hosts({
  title,
  none,
  hosts,
  may,
  onChange,
  children,
}: {
  title: string
  none?: string
  hosts: readonly RouteHost[]
  may: boolean
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
            <Host
              host={host}
              may={may}
              onChange={one => onChange(hosts.map((other, n) => (n === i ? one : other)))}
            />
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

function Host({
  host,
  may,
  onChange,
}: {
  host: RouteHost
  may: boolean
  onChange: (host: RouteHost) => void
}) {
  const { t } = useTranslation()
  return (
    <>
      <Server server={host} onChange={one => onChange({ ...host, ...one })}>
        <Select
          label={t('organisation.routes.protocol')}
          all={['smtp', 'lmtp'] as const}
          chosen={host.protocol}
          nameOf={one => t(`organisation.routes.protocols.${one}`)}
          onChange={protocol => onChange({ ...host, protocol })}
        />
        <TextField
          label={t('organisation.routes.user')}
          value={host.user}
          spellCheck={false}
          maxLength={200}
          onChange={({ target }) => onChange({ ...host, user: target.value.trim() })}
        />
        <TextField
          label={t('organisation.routes.connections')}
          type="number"
          min={1}
          max={100}
          placeholder={String(usualConnections)}
          value={host.connections ?? ''}
          onChange={({ target: { valueAsNumber: n } }) => {
            const { connections: _, ...rest } = host
            onChange(Number.isNaN(n) ? rest : { ...rest, connections: n })
          }}
        />
      </Server>
      {host.user !== '' && host.host !== '' && <SecretLine account={host} may={may} />}
    </>
  )
}

/** Loopback (RFC 1122 §3.2.1.3, RFC 4291 §2.5.3). */
const staysHere = /^(?:127(?:\.\d{1,3}){3}|::1|\[::1\]|localhost)$/i

/** Where a server is, and whom it has to be. `children`: what else there is to say of it. */
export function Server({
  server,
  onChange,
  children,
}: {
  server: ServerAt
  onChange: (server: ServerAt) => void
  children?: React.ReactNode
}) {
  const { t } = useTranslation()
  const { host, port, tls, certificate } = server
  const change = (more: Partial<ServerAt>) => onChange({ host, port, tls, certificate, ...more })
  return (
    <>
      <div className="grid grid-cols-[repeat(auto-fit,minmax(9rem,1fr))] items-end gap-x-3 gap-y-2">
        <TextField
          label={t('organisation.routes.host')}
          value={host}
          spellCheck={false}
          maxLength={253}
          onChange={({ target }) => change({ host: target.value.trim() })}
        />
        <TextField
          label={t('organisation.routes.port')}
          type="number"
          min={1}
          max={65_535}
          value={port || ''}
          onChange={({ target }) => change({ port: target.valueAsNumber || 0 })}
        />
        <Select
          label={t('organisation.routes.tls')}
          all={['starttls', 'implicit', 'off'] as const}
          chosen={tls}
          nameOf={one => t(`organisation.routes.tlss.${one}`)}
          onChange={one => change({ tls: one })}
        />
        {children}
      </div>
      {tls === 'off' ? (
        <p className="mt-1 text-ink-2">
          {t(`organisation.routes.${staysHere.test(host) ? 'staysHere' : 'tlsOff'}`)}
        </p>
      ) : (
        <Certificate certificate={certificate} onChange={one => change({ certificate: one })} />
      )}
    </>
  )
}

function Certificate({
  certificate,
  onChange,
}: {
  certificate: string
  onChange: (certificate: string) => void
}) {
  const { t } = useTranslation()
  const [shown, show] = useState(certificate !== '')
  if (!shown)
    return (
      <Button kind="link" className="mt-1" onClick={() => show(true)}>
        {t('organisation.routes.nameCertificate')}
      </Button>
    )
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
          value={certificate}
          spellCheck={false}
          maxLength={20_000}
          onChange={({ target }) => onChange(target.value)}
          className={`${inputStyle} font-mono text-[0.86rem]`}
        />
      )}
    </Field>
  )
}
