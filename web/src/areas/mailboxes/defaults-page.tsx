import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { areLimits, keptDays, type DefaultsChange, type OrganisationDefaults } from '@pendro/contract'
import { useSession, maySteer } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { Card } from '../../parts/card.tsx'
import { Change } from './change-bar.tsx'
import { ContactsCard } from './contacts-card.tsx'
import { DaysFields, Ends } from './keeping-card.tsx'
import { LimitsArc } from './limits-arc.tsx'
import { LimitsFields } from './limits-fields.tsx'
import { Replay } from './replay.tsx'
import { useDefaults, useEffectOfDefaults } from './use-defaults.ts'
import { DepartmentsCard, WatchingCard } from './watching-card.tsx'

/** What counts for every mailbox that has nothing of its own; stewards change it, everybody can read it. */
export function DefaultsPage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useDefaults()
  const session = useSession()
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={5} />
  const { defaults, mailboxes, unlike, watching, departments, contacts } = data
  const may = maySteer(session)
  const follow = (own: number) => t('mailboxes.defaults.follow', { count: mailboxes - own })
  return (
    <div
      className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
      tabIndex={0}
      role="region"
      aria-label={t('mailboxes.defaults.title')}
    >
      <h2 className="font-serif text-[1.42rem] leading-tight font-semibold">
        {t('mailboxes.defaults.title')}
      </h2>
      <p className="mb-3 text-ink-2">{t(may ? 'mailboxes.defaults.text' : 'mailboxes.defaults.readOnly')}</p>
      <div className="grid items-start gap-3 min-[1180px]:grid-cols-2">
        <div className="grid min-w-0 gap-3">
          <WatchingCard key={String(watching)} watching={watching} may={may} />
          <LimitsDefault
            key={JSON.stringify(defaults.limits)}
            saved={defaults.limits}
            may={may}
            follow={follow(unlike.limits)}
          />
        </div>
        <div className="grid gap-3">
          <DaysDefault
            key={JSON.stringify(defaults.keep)}
            saved={defaults.keep}
            may={may}
            follow={follow(unlike.keeping)}
          />
          <HeadersDefault key={defaults.headerDays} saved={defaults.headerDays} may={may} />
          <ContactsCard whose="everybody" count={contacts} may={may} />
          <DepartmentsCard
            key={JSON.stringify(departments)}
            departments={departments}
            // Theirs are theirs to set, also for a steward of some.
            may={session.staffer.role === 'steward'}
          />
        </div>
      </div>
    </div>
  )
}

interface Props<V> {
  readonly saved: V
  readonly may: boolean
}

function LimitsDefault({ saved, may, follow }: Props<OrganisationDefaults['limits']> & { follow: string }) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState(saved)
  const isOther = JSON.stringify(draft) !== JSON.stringify(saved) && areLimits(draft)
  const change: DefaultsChange | null = isOther ? { what: 'limits', was: saved, to: draft } : null
  const effect = useEffectOfDefaults(useDelayed(change, 150))
  return (
    <Card title={t('mailboxes.limits.title')} more={<span className="text-ink-2">{follow}</span>}>
      <div className="mx-auto max-w-[280px]">
        <LimitsArc limits={draft} disabled={!may} onChange={setDraft} />
      </div>
      {may && <LimitsFields limits={draft} onChange={setDraft} />}
      <Change change={change} onCancel={() => setDraft(saved)}>
        <Replay effect={effect} />
      </Change>
    </Card>
  )
}

function DaysDefault({ saved, may, follow }: Props<OrganisationDefaults['keep']> & { follow: string }) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState(saved)
  const isOther = JSON.stringify(draft) !== JSON.stringify(saved) && keptDays.safeParse(draft).success
  const change: DefaultsChange | null = isOther ? { what: 'keeping', was: saved, to: draft } : null
  const effect = useEffectOfDefaults(useDelayed(change, 150))
  return (
    <Card title={t('mailboxes.keeping.title')} more={<span className="text-ink-2">{follow}</span>}>
      <fieldset disabled={!may} className="flex flex-wrap items-end gap-4">
        <DaysFields days={draft} onChange={setDraft} />
      </fieldset>
      <Change change={change} onCancel={() => setDraft(saved)}>
        <Ends effect={effect.data} kind="keeping" />
      </Change>
    </Card>
  )
}

function HeadersDefault({ saved, may }: Props<number>) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState(saved)
  const isOther = draft !== saved && draft >= 30 && draft <= 1095
  const change: DefaultsChange | null = isOther ? { what: 'header-days', was: saved, to: draft } : null
  return (
    <Card title={t('mailboxes.defaults.headers')}>
      <p className="text-ink-2">{t('mailboxes.defaults.headersText')}</p>
      <label className="mt-2 inline-flex items-baseline gap-2">
        <input
          type="number"
          min={30}
          max={1095}
          disabled={!may}
          value={Number.isNaN(draft) ? '' : draft}
          aria-label={t('mailboxes.defaults.headers')}
          onChange={({ target }) => setDraft(Math.round(target.valueAsNumber))}
          className="w-24 rounded-md border border-line-strong bg-raised px-2 py-1.5"
        />
        {t('mailboxes.defaults.days')}
      </label>
      <Change change={change} onCancel={() => setDraft(saved)} />
    </Card>
  )
}

/** Opens the page of defaults. */
export function DefaultsLink({ onOpen }: { onOpen: () => void }) {
  const { t } = useTranslation()
  return (
    <Button kind="link" className="text-[0.95rem] leading-snug" onClick={onOpen}>
      {t('mailboxes.defaults.link')}
    </Button>
  )
}
