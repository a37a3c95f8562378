import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { changeRules, readMailRule, undoMailboxChange } from '@pendro/contract'
import { call } from '../app/api.ts'
import { queryKeyOf } from '../app/query-keys.ts'
import { mayWrite, useSession, maySteer } from '../app/session.ts'
import { useAct } from '../app/use-act.ts'
import { Button } from './buttons.tsx'
import { ruleSentence } from './rule-sentence.ts'
import { RulesEffect } from './rules-effect.tsx'
import { SlotPanel } from './sentence-slot.tsx'
import { Failed, SkeletonRows } from './states.tsx'

/** A mail rule in a sentence; its panel says what the rule does and what would be without it. */
export function MailRuleSlot({ id, name }: { id: number; name: string }) {
  const { t } = useTranslation()
  return (
    <SlotPanel label={t('mailRules.slot.label')} text={name}>
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
  const undoing = useAct({
    send: (change: number) => call(undoMailboxChange, { params: { id: change } }),
    notice: () => ({ text: t('mailRules.done.undone') }),
    makes: 'mail-rule-changed',
  })
  const switching = useAct({
    send: (on: boolean) =>
      call(changeRules, {
        body: {
          mailbox: rule?.mailboxId ?? null,
          change: { act: 'switch', id, on },
          reason: '',
          token: crypto.randomUUID(),
        },
      }),
    notice: ({ change }, on) => ({
      text: t(on ? 'mailRules.done.on' : 'mailRules.done.off', { name: rule?.name }),
      action: { label: t('mailRules.done.undo'), run: () => undoing.mutate(change) },
    }),
    makes: 'mail-rule-changed',
    onDone,
  })
  if (error && !rule) return <Failed error={error} onAgain={() => void refetch()} />
  if (!rule) return <SkeletonRows count={2} height={32} />
  const owner = rule.mailboxId
  const may = mayWrite(session) && (owner !== null || maySteer(session))
  return (
    <div className="w-[27rem] max-w-full px-4 py-3">
      <p>{ruleSentence(rule, t, i18n.language)}</p>
      <div className="mt-2 text-ink-2">
        <RulesEffect effect={{ ...rule.effect, examples: [] }} said="without" />
      </div>
      <p className="mt-2 mb-3 text-ink-2">{t(rule.on ? 'mailRules.slot.stays' : 'mailRules.slot.isOff')}</p>
      <p className="flex flex-wrap items-center gap-4">
        {may && (
          <Button disabled={switching.isPending} onClick={() => switching.mutate(!rule.on)}>
            {t(rule.on ? 'mailRules.edit.switchOff' : 'mailRules.edit.switchOn')}
          </Button>
        )}
        <Link
          to={owner === null ? `/mailboxes/rules/${id}` : `/mailboxes/${owner}/rules/${id}`}
          className="border-b border-current font-semibold text-petrol hover:text-ink"
        >
          {t('mailRules.slot.open')}
        </Link>
      </p>
    </div>
  )
}
