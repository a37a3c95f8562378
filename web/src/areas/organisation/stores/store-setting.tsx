import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import {
  accountAt,
  plainStore,
  type MailStoreShape,
  type OrganisationSettingsShape,
  type ServerAt,
  type StoreIdentity,
} from '@pendro/contract'
import { Button } from '../../../parts/buttons.tsx'
import { MailboxSlot } from '../../../parts/mailbox-slot.tsx'
import { Sentence } from '../../../parts/sentence.tsx'
import { Hosts, newHost, Server } from '../doors/hosts.tsx'
import { Choice, Line, Lines, Select } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'
import { SecretLine } from './secret-line.tsx'
import { StoreSteps } from './store-steps.tsx'
import { useTryStore, type Account } from './use-stores.ts'

const newStore = (isFirst: boolean): MailStoreShape => ({
  ...plainStore,
  houses: isFirst ? 'rest' : 'domains',
  hosts: [newHost],
})

/** Mail stores as they are set: whose mailboxes each has, how mail gets there, and how Pendro looks into it. */
export function StoresCard({ data: { routes }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="routes" as="mail-stores" saved={routes} may={may}>
      {(draft, onChange) => {
        const change = (stores: MailStoreShape[]) => onChange({ ...draft, stores })
        return (
          <>
            {draft.stores.length === 0 && <p className="text-ink-2">{t('organisation.routes.none')}</p>}
            {draft.stores.map((store, i) => (
              <Store
                key={i}
                store={store}
                may={may}
                onChange={one => change(draft.stores.map((other, n) => (n === i ? one : other)))}
                onRemove={() => change(draft.stores.filter((_, n) => n !== i))}
              />
            ))}
            <Button
              className="mt-3"
              onClick={() => change([...draft.stores, newStore(draft.stores.length === 0)])}
            >
              {t('organisation.routes.addStore')}
            </Button>
          </>
        )
      }}
    </SettingCard>
  )
}

interface Editing {
  readonly store: MailStoreShape
  readonly may: boolean
  readonly onChange: (store: MailStoreShape) => void
}

function Store({ store, may, onChange, onRemove }: Editing & { onRemove: () => void }) {
  const { t } = useTranslation()
  const name = store.name || t('stores.unnamed')
  return (
    <section
      className="mt-3 border-t border-line pt-3 first:mt-0 first:border-0 first:pt-0"
      aria-label={name}
    >
      <div className="flex flex-wrap items-baseline justify-between gap-x-4">
        <h4 className="font-serif text-[1.08rem] font-semibold">{name}</h4>
        <Button kind="link" onClick={onRemove}>
          {t('stores.remove', { name })}
        </Button>
      </div>
      <div className="grid gap-x-3 min-[560px]:grid-cols-2">
        <Line
          label={t('stores.name')}
          value={store.name}
          onChange={one => onChange({ ...store, name: one })}
        />
        <div className="mt-2">
          <Select
            label={t('stores.houses')}
            all={['domains', 'rest', 'named'] as const}
            chosen={store.houses}
            nameOf={one => t(`stores.housed.${one}`)}
            onChange={houses => onChange({ ...store, houses })}
          />
        </div>
      </div>
      {store.houses === 'named' && <p className="mt-1 text-ink-2">{t('stores.namedHelp')}</p>}
      {store.houses === 'domains' && (
        <Lines
          label={t('stores.domains')}
          values={store.domains}
          onChange={domains => onChange({ ...store, domains })}
        />
      )}
      <Hosts
        title={t('stores.handOver')}
        hosts={store.hosts}
        may={may}
        onChange={hosts => onChange({ ...store, hosts })}
      />
      <LooksIn store={store} may={may} onChange={onChange} />
      {may && <Try store={store} />}
    </section>
  )
}

const newServer: ServerAt = { host: '', port: 993, tls: 'implicit', certificate: '' }

/** What Pendro may do there beside handing mail over. */
function LooksIn({ store, may, onChange }: Editing) {
  const { t } = useTranslation()
  const { imap, hosts } = store
  const host = hosts[0]?.host ?? ''
  return (
    <>
      <div className="mt-3 font-semibold">
        <Choice
          label={t('stores.imap')}
          chosen={imap !== null}
          onChange={on => onChange({ ...store, imap: on ? { ...newServer, host } : null })}
        />
      </div>
      {imap === null && <p className="text-ink-2">{t('stores.imapHelp')}</p>}
      {imap !== null && (
        <div className="mt-1 rounded-md border border-line px-3 py-2">
          <Server server={imap} onChange={one => onChange({ ...store, imap: one })} />
          <Folders store={store} may={may} onChange={onChange} />
        </div>
      )}
      {imap !== null && <Scripts store={store} may={may} onChange={onChange} />}
      {imap !== null && (
        <Identity
          identity={store.identity}
          at={imap}
          may={may}
          onChange={identity => onChange({ ...store, identity })}
        />
      )}
    </>
  )
}

/** Whether rules and replies are kept there, too. */
function Scripts({ store, onChange }: Editing) {
  const { t } = useTranslation()
  const { sieve, imap, scripts } = store
  const begin = { ...newServer, host: imap?.host ?? '', port: 4190, tls: 'starttls' } as const
  return (
    <>
      <div className="mt-3 font-semibold">
        <Choice
          label={t('stores.sieve')}
          chosen={sieve !== null}
          onChange={on => onChange({ ...store, sieve: on ? begin : null, scripts: 'keep' })}
        />
      </div>
      <p className="text-ink-2">{t('stores.sieveHelp')}</p>
      {sieve !== null && (
        <div className="mt-1 rounded-md border border-line px-3 py-2">
          <Server server={sieve} onChange={one => onChange({ ...store, sieve: one })} />
          <div className="mt-2">
            <Select
              label={t('stores.scripts')}
              all={['keep', 'take-out'] as const}
              chosen={scripts}
              nameOf={one => t(`stores.scripting.${one}`)}
              onChange={one => onChange({ ...store, scripts: one })}
            />
          </div>
        </div>
      )}
    </>
  )
}

function Folders({ store, onChange }: Editing) {
  const { t } = useTranslation()
  return (
    <>
      <div className="grid gap-x-3 min-[560px]:grid-cols-2">
        <Line
          label={t('stores.junkFolder')}
          help={t('stores.junkFolderHelp')}
          value={store.junkFolder}
          onChange={junkFolder => onChange({ ...store, junkFolder })}
        />
        <Line
          label={t('stores.asideFolder')}
          help={t('stores.asideFolderHelp')}
          value={store.asideFolder}
          onChange={asideFolder => onChange({ ...store, asideFolder })}
        />
      </div>
      <div className="mt-2">
        <Select
          label={t('stores.releases')}
          all={['hand-over', 'append'] as const}
          chosen={store.releases}
          nameOf={one => t(`stores.released.${one}`)}
          onChange={releases => onChange({ ...store, releases })}
        />
      </div>
    </>
  )
}

/** Whose secret it is: the account’s at the server itself, or the client’s at the server that gives tokens. */
function accountOf({ kind, user, tokenUrl }: StoreIdentity, at: ServerAt | null): Account | null {
  if (user === '') return null
  if (kind === 'proxy') return at === null || at.host === '' ? null : { user, host: at.host, port: at.port }
  return URL.canParse(tokenUrl) ? accountAt(tokenUrl, user) : null
}

function Identity({
  identity,
  at,
  may,
  onChange,
}: {
  identity: StoreIdentity
  at: ServerAt | null
  may: boolean
  onChange: (identity: StoreIdentity) => void
}) {
  const { t } = useTranslation()
  const account = accountOf(identity, at)
  const line = (name: 'user' | 'tokenUrl' | 'scope') => (
    <Line
      label={t(`stores.identity.${name === 'user' ? identity.kind : name}`)}
      value={identity[name]}
      onChange={value => onChange({ ...identity, [name]: value.trim() })}
    />
  )
  return (
    <div className="mt-3">
      <Select
        label={t('stores.identity.label')}
        all={['proxy', 'token'] as const}
        chosen={identity.kind}
        nameOf={one => t(`stores.identity.kinds.${one}`)}
        onChange={kind => onChange({ ...identity, kind })}
      />
      <p className="mt-1 text-ink-2">{t(`stores.identity.help.${identity.kind}`)}</p>
      {line('user')}
      {identity.kind === 'token' && line('tokenUrl')}
      {identity.kind === 'token' && line('scope')}
      {account && <SecretLine account={account} may={may} />}
    </div>
  )
}

/** What works as it is typed here, before anything is changed. */
function Try({ store }: { store: MailStoreShape }) {
  const { t } = useTranslation()
  const [mailbox, setMailbox] = useState<number>()
  const trying = useTryStore()
  return (
    <div className="mt-3 rounded-md bg-panel px-3 py-2">
      <p className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <span>
          <Sentence
            text={t('stores.try.text')}
            slots={{
              mailbox: <MailboxSlot mailbox={mailbox} onPick={setMailbox} nobody={t('stores.try.nobody')} />,
            }}
          />
        </span>
        <Button
          disabled={mailbox === undefined || trying.isPending}
          onClick={() => mailbox !== undefined && trying.mutate({ store, mailbox })}
        >
          {t(trying.isPending ? 'stores.try.trying' : 'stores.try.begin')}
        </Button>
      </p>
      {trying.data && !trying.isPending && <StoreSteps steps={trying.data.steps} />}
    </div>
  )
}
