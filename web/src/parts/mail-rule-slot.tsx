import { queryKeyOf } from '../app/query-keys.ts'
import { useQuery } from '@tanstack/react-query'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import { readMailRule, switchMailRule, type MailRuleSheet } from '@pendro/contract'
import { call } from '../app/api.ts'
import { mayWrite, useSession } from '../app/session.ts'
import { Button } from './buttons.tsx'
import { SlotPanel } from './sentence-slot.tsx'
import { Failed, SkeletonRows } from './states.tsx'
import { useAct } from '../app/use-act.ts'

/** A mail rule in a sentence; its panel says what the rule does and what would be without it. */
export function MailRuleSlot({ id, name }: { id: number; name: string }) {
  const { t } = useTranslation()
  return (
    <SlotPanel label={t('whereabouts.rule.label')} text={name}>
      {close => <RulePanel id={id} onDone={close} />}
    </SlotPanel>
  )
}

function RulePanel({ id, onDone }: { id: number; onDone: () => void }) {
  const { t, i18n } = useTranslation()
  const session = useSession()
  const {
    data: rule,
    error,
    refetch,
  } = useQuery({
    queryKey: queryKeyOf('mail-rule', id),
    queryFn: ({ signal }) => call(readMailRule, { params: { id }, signal }),
  })
  const switching = useAct({
    send: (on: boolean) => call(switchMailRule, { params: { id }, body: { on } }),
    notice: (_done, on) => ({
      text: t(on ? 'whereabouts.rule.on' : 'whereabouts.rule.off', {
        rule: rule?.name,
        name: rule?.mailboxName,
      }),
      action: { label: t('whereabouts.rule.undo'), run: () => switching.mutate(!on) },
    }),
    makes: 'mail-rule-switched',
    onDone,
  })
  if (error && !rule) return <Failed error={error} onAgain={() => void refetch()} />
  if (!rule) return <SkeletonRows count={2} height={32} />
  return (
    <div className="w-96 max-w-full px-4 py-3">
      <p>{ruleSentence(rule, t, i18n.language)}</p>
      <p className="mt-2 text-ink-2">
        {t('whereabouts.rule.did', { count: rule.decided, places: placesText(rule, t, i18n.language) })}
      </p>
      <p className="mt-2 mb-3 text-ink-2">
        {t(rule.on ? 'whereabouts.rule.stays' : 'whereabouts.rule.isOff')}
      </p>
      {mayWrite(session) && (
        <Button disabled={switching.isPending} onClick={() => switching.mutate(!rule.on)}>
          {t(rule.on ? 'whereabouts.rule.switchOff' : 'whereabouts.rule.switchOn')}
        </Button>
      )}
    </div>
  )
}

/** "When the subject contains “proof” and the sender is “…”, it goes into the folder Print." */
function ruleSentence({ needs, conditions, action }: MailRuleSheet, t: TFunction, language: string): string {
  const list = new Intl.ListFormat(language, { type: needs === 'all' ? 'conjunction' : 'disjunction' })
  const texts = conditions.map(({ field, test, text }) =>
    t(`whereabouts.rule.test.${test}`, { field: t(`whereabouts.rule.field.${field}`), text }),
  )
  return t('whereabouts.rule.says', {
    conditions: list.format(texts),
    action: t(`whereabouts.rule.action.${action.kind}`, action),
  })
}

function placesText({ without }: MailRuleSheet, t: TFunction, language: string): string {
  const places = Object.entries(without).filter(([, count]) => count > 0)
  return new Intl.ListFormat(language, { type: 'conjunction' }).format(
    places.map(([place, count]) => t(`whereabouts.rule.place.${place}`, { count })),
  )
}
