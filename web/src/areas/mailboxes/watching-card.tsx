import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { DefaultsChange, ReadDefaultsAnswer } from '@pendro/contract'
import { useDelayed } from '../../parts/use-delayed.ts'
import { Card } from '../../parts/card.tsx'
import { Change } from './change-bar.tsx'
import { Replay } from './replay.tsx'
import { useEffectOfDefaults } from './use-defaults.ts'

/** Whether mail is held back, or only watched. */
export function WatchingCard({
  watching,
  may,
  withDays = true,
}: {
  watching: boolean
  may: boolean
  /** Leads to what would have been held, day by day. */
  withDays?: boolean
}) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState(watching)
  const change: DefaultsChange | null =
    draft === watching ? null : { what: 'watching', was: watching, to: draft }
  const effect = useEffectOfDefaults(useDelayed(change, 150))
  return (
    <Card
      title={t('mailboxes.watching.title')}
      more={
        withDays && (
          <Link to="/mailboxes/watching" className="border-b border-current text-petrol">
            {t('mailboxes.watching.more')}
          </Link>
        )
      }
    >
      <fieldset disabled={!may}>
        <legend className="sr-only">{t('mailboxes.watching.title')}</legend>
        {[false, true].map(value => (
          <label key={String(value)} className="flex min-h-7 items-baseline gap-2 py-1">
            <input
              type="radio"
              name="watching"
              checked={draft === value}
              onChange={() => setDraft(value)}
              className="accent-petrol"
            />
            <span>
              <b>{t(value ? 'mailboxes.watching.watch' : 'mailboxes.watching.hold')}</b>{' '}
              <span className="text-ink-2">
                {t(value ? 'mailboxes.watching.watchText' : 'mailboxes.watching.holdText')}
              </span>
            </span>
          </label>
        ))}
      </fieldset>
      <Change change={change} onCancel={() => setDraft(watching)}>
        <Replay effect={effect} />
      </Change>
    </Card>
  )
}

type Department = ReadDefaultsAnswer['departments'][number]

const choices = ['usual', 'hold', 'watch'] as const
type Choice = (typeof choices)[number]
const choiceOf = (watching: boolean | null): Choice =>
  watching === null ? 'usual' : watching ? 'watch' : 'hold'
const valueOf = { usual: null, hold: false, watch: true } as const

/** What departments have of their own. */
export function DepartmentsCard({ departments, may }: { departments: readonly Department[]; may: boolean }) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState<{ name: string; choice: Choice } | null>(null)
  if (departments.length === 0) return null
  return (
    <Card title={t('mailboxes.departments.title')}>
      <p className="mb-2 text-ink-2">{t('mailboxes.departments.text')}</p>
      <ul>
        {departments.map(department => (
          <DepartmentRow
            key={department.name}
            department={department}
            draft={draft?.name === department.name ? draft.choice : null}
            may={may}
            onPick={choice => setDraft({ name: department.name, choice })}
            onCancel={() => setDraft(null)}
          />
        ))}
      </ul>
    </Card>
  )
}

function DepartmentRow({
  department: { name, mailboxes, limits, watching },
  draft,
  may,
  onPick,
  onCancel,
}: {
  department: Department
  draft: Choice | null
  may: boolean
  onPick: (choice: Choice) => void
  onCancel: () => void
}) {
  const { t } = useTranslation()
  const change: DefaultsChange | null =
    draft !== null && valueOf[draft] !== watching
      ? { what: 'department-watching', department: name, was: watching, to: valueOf[draft] }
      : null
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-3 gap-y-0.5 border-t border-line py-1.5">
      <span>
        <b>{name}</b>{' '}
        <span className="text-ink-2">
          {t('mailboxes.departments.mailboxes', { count: mailboxes })} ·{' '}
          <Link
            to={`/calibration?department=${encodeURIComponent(name)}`}
            className="border-b border-current whitespace-nowrap text-petrol"
          >
            {limits
              ? t('mailboxes.departments.limits', { ...limits })
              : t('mailboxes.departments.usualLimits')}
          </Link>
        </span>
      </span>
      <select
        disabled={!may}
        aria-label={t('mailboxes.departments.label', { name })}
        value={draft ?? choiceOf(watching)}
        onChange={({ target }) => onPick(choices.find(one => one === target.value) ?? 'usual')}
        className="rounded-md border border-line-strong bg-raised px-2 py-1"
      >
        {choices.map(choice => (
          <option key={choice} value={choice}>
            {t(`mailboxes.departments.${choice}`)}
          </option>
        ))}
      </select>
      {change !== null && (
        <div className="col-span-2">
          <Trial key={JSON.stringify(change)} change={change} onCancel={onCancel} />
        </div>
      )}
    </li>
  )
}

function Trial({ change, onCancel }: { change: DefaultsChange; onCancel: () => void }) {
  const effect = useEffectOfDefaults(change)
  return (
    <Change change={change} onCancel={onCancel}>
      <Replay effect={effect} />
    </Change>
  )
}
