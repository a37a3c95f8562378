import type { ReactNode } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { previewSetting, type SettingChange, type SettingName } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useDelayed } from '../../parts/use-delayed.ts'
import { Card } from '../../parts/card.tsx'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Button } from '../../parts/buttons.tsx'
import { differenceOf } from './difference.ts'
import { alike, useDraft } from './use-draft.ts'
import { useChangeSetting } from './use-settings.ts'

interface Props<V extends SettingChange['to']> {
  readonly what: SettingName
  /** Words of its own, for a part of a setting. */
  readonly as?: 'mail-stores'
  readonly saved: V
  readonly may: boolean
  readonly className?: string
  /** Its fields, filled from a draft. */
  readonly children: (draft: V, onChange: (draft: V) => void) => ReactNode
}

/** One setting of the organisation: what it is, what a change would be about, and the way to make it. */
export function SettingCard<V extends SettingChange['to']>({
  what,
  as,
  saved,
  may,
  className,
  children,
}: Props<V>) {
  const { t } = useTranslation()
  const { draft, setDraft, begun, follow, apply } = useDraft(saved)
  const isOther = !alike(draft, saved)
  const change = isOther ? ({ what, was: saved, to: draft } as SettingChange) : null
  const changing = useChangeSetting()
  return (
    <Card title={t(`organisation.${as ?? what}.title`)} className={className}>
      <p className="mb-2 text-ink-2">{t(`organisation.${as ?? what}.text`)}</p>
      <fieldset disabled={!may} className="min-w-0">
        <legend className="sr-only">{t(`organisation.${as ?? what}.title`)}</legend>
        {children(draft, setDraft)}
      </fieldset>
      {change !== null && (
        <div className="mt-3 border-t border-line pt-3" aria-live="polite">
          {!alike(begun, saved) && <Meanwhile now={saved} mine={draft} onTake={() => follow(saved)} />}
          <Effect change={change} />
          <ApplyBar
            disabled={changing.isPending}
            onApply={reason => changing.mutate({ change, reason }, { onSuccess: apply })}
            onCancel={() => follow(saved)}
          />
        </div>
      )}
    </Card>
  )
}

/** Somebody else was first: what it is now beside what is typed here. Applying goes on from theirs, by one's own word. */
function Meanwhile({ now, mine, onTake }: { now: unknown; mine: unknown; onTake: () => void }) {
  const { t } = useTranslation()
  const { gone, come } = differenceOf(now, mine)
  return (
    <div role="alert" className="mb-3 rounded-md border border-amber/50 bg-amber-tint px-3 py-2">
      <p className="font-semibold">{t('organisation.others.title')}</p>
      {gone.length > 0 && <p>{t('organisation.others.gone', { values: gone.join(', ') })}</p>}
      {come.length > 0 && <p>{t('organisation.others.come', { values: come.join(', ') })}</p>}
      <Button kind="link" className="mt-1" onClick={onTake}>
        {t('organisation.others.take')}
      </Button>
    </div>
  )
}

/** What it is about, in sentences; or why it can't be. */
function Effect({ change }: { change: SettingChange }) {
  const { t } = useTranslation()
  const asked = useDelayed(change, 300)
  const { data, error } = useQuery({
    queryKey: queryKeyOf('settings', 'effect', asked),
    queryFn: ({ signal }) => call(previewSetting, { body: { change: asked }, signal }),
    retry: false,
    gcTime: 10_000,
  })
  if (error) return <p className="text-stop">{problemOf(error).text}</p>
  if (!data) return <p className="text-ink-2">{t('change.looking')}</p>
  const facts = Object.entries(data.facts)
  if (facts.length === 0) return <p className="text-ink-2">{t('organisation.noEffect')}</p>
  return (
    <>
      {facts.map(([name, count]) => (
        <p key={name}>{t(`organisation.${change.what}.effect.${name}`, { count })}</p>
      ))}
    </>
  )
}
