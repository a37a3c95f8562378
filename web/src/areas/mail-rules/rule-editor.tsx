import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { MailRuleShape, RulesChange } from '@pendro/contract'
import { problemOf } from '../../app/api.ts'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { RulesEffect } from '../../parts/rules-effect.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { ActionFields } from './action-fields.tsx'
import { ConditionRow } from './condition-row.tsx'
import { CopyRules } from './copy-rules.tsx'
import { draftOf, finished, isSame, withCondition, type Draft } from './draft.ts'
import { findingText } from './finding-text.ts'
import { useRulesChange, useRulesEffect, type Owner } from './use-rules.ts'

interface Props {
  readonly owner: Owner
  /** `null`: a new one. */
  readonly rule: MailRuleShape | null
  /** What a new one begins with. */
  readonly start: Draft
  readonly folders: readonly string[]
  readonly may: boolean
  /** Which rule to show next; `null` for none. */
  readonly onDone: (next: number | null) => void
}

/** A rule as a sentence that can be written, and what it would have done to the mail of the last month. */
export function RuleEditor({ owner, rule, start, folders, may, onDone }: Props) {
  const { t, i18n } = useTranslation()
  const { draft, setDraft, isTheirs, take } = useRuleDraft(rule, start)
  const [reason, setReason] = useState('')
  const ready = finished(draft)
  const isChanged = rule === null || !isSame(draft, draftOf(rule))
  const change = changeTo(rule, ready)
  // Switched off, or as it is: what it did is told by what would be without it.
  const asked: RulesChange | null = isChanged ? change : rule && removalOf(rule)
  const settled = useDelayed(asked, 250)
  const effect = useRulesEffect(owner, settled)
  const saving = useRulesChange(owner, ([added]) => onDone(added ?? rule?.id ?? null))
  const disabled = !may
  return (
    <form
      className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
      onSubmit={event => {
        event.preventDefault()
        if (change && isChanged) saving.mutate({ change, reason, name: ready?.name ?? '' })
      }}
    >
      <h2 className="font-serif text-[1.2rem] font-semibold">{rule?.name ?? t('mailRules.edit.new')}</h2>
      {ready && <p className="mb-3 text-ink-2">{ruleSentence(ready, t, i18n.language)}</p>}
      {rule && isTheirs && <Theirs rule={rule} onTake={take} />}
      <Conditions draft={draft} disabled={disabled} onChange={setDraft} />
      <div className="mt-3 border-t border-line pt-3">
        <ActionFields
          action={draft.action}
          folders={folders}
          disabled={disabled}
          onChange={action => setDraft({ ...draft, action })}
        />
      </div>
      {may && (
        <Names
          name={draft.name}
          usual={ready?.name ?? ''}
          reason={reason}
          onName={name => setDraft({ ...draft, name })}
          onReason={setReason}
        />
      )}
      <Outcome effect={effect} isChanged={isChanged} isReady={asked !== null} />
      {may && (
        <Buttons
          owner={owner}
          rule={rule}
          isChanged={isChanged}
          isReady={change !== null && !saving.isPending}
          onReset={() => (rule ? setDraft(draftOf(rule)) : onDone(null))}
          onGone={() => onDone(null)}
        />
      )}
    </form>
  )
}

/**
 * The rule as it is being written. Another version of it than the one it was begun from is somebody else's change: the screen
 * follows where nothing of one's own would be lost, and says so where something would.
 */
function useRuleDraft(rule: MailRuleShape | null, start: Draft) {
  const [draft, setDraft] = useState<Draft>(() => (rule ? draftOf(rule) : start))
  const [base, setBase] = useState(rule)
  const isOther = rule !== null && rule.version !== base?.version
  const take = () => {
    if (rule === null) return
    setBase(rule)
    setDraft(draftOf(rule))
  }
  const isUnwritten = base === null || isSame(draft, draftOf(base))
  const follows = isOther && (isUnwritten || isSame(draft, draftOf(rule)))
  if (follows) take()
  return { draft, setDraft, isTheirs: isOther && !follows, take }
}

/** Somebody else has changed the rule meanwhile: what it says now, beside one's own words. */
function Theirs({ rule, onTake }: { rule: MailRuleShape; onTake: () => void }) {
  const { t, i18n } = useTranslation()
  return (
    <div role="alert" className="mb-3 rounded-md border border-amber/40 bg-amber-tint px-4 py-3">
      <p>
        {t('mailRules.edit.changed')} <b>{ruleSentence(rule, t, i18n.language)}</b>
      </p>
      <Button kind="link" className="mt-1" onClick={onTake}>
        {t('mailRules.edit.takeTheirs')}
      </Button>
    </div>
  )
}

interface NamesProps {
  readonly name: string
  /** What it is called without a name of its own. */
  readonly usual: string
  readonly reason: string
  readonly onName: (name: string) => void
  readonly onReason: (reason: string) => void
}

function Names({ name, usual, reason, onName, onReason }: NamesProps) {
  const { t } = useTranslation()
  return (
    <div className="mt-3 grid gap-3 border-t border-line pt-3 min-[640px]:grid-cols-2">
      <TextField
        label={t('mailRules.edit.name')}
        value={name}
        maxLength={120}
        placeholder={usual}
        onChange={({ target }) => onName(target.value)}
      />
      <TextField
        label={t('mailRules.edit.reason')}
        value={reason}
        maxLength={1000}
        onChange={({ target }) => onReason(target.value)}
      />
    </div>
  )
}

function changeTo(rule: MailRuleShape | null, draft: Draft | null): RulesChange | null {
  if (!draft) return null
  return rule ? { act: 'edit', id: rule.id, version: rule.version, draft } : { act: 'add', draft }
}

const removalOf = ({ id, version }: MailRuleShape): RulesChange => ({ act: 'remove', id, version })

interface OfDraft {
  readonly draft: Draft
  readonly disabled: boolean
  readonly onChange: (draft: Draft) => void
}

function Conditions({ draft, disabled, onChange }: OfDraft) {
  const { t } = useTranslation()
  const { conditions, needs } = draft
  return (
    <>
      {conditions.length > 1 && (
        <p className="leading-9">
          <Sentence
            text={t('mailRules.edit.when')}
            slots={{
              needs: (
                <SentenceSlot
                  label={t('mailRules.edit.needsLabel')}
                  text={t(`mailRules.edit.needs.${needs}`)}
                  value={needs}
                  disabled={disabled}
                  options={(['all', 'any'] as const).map(value => ({
                    value,
                    text: t(`mailRules.edit.needs.${value}`),
                  }))}
                  onPick={picked => onChange({ ...draft, needs: picked })}
                />
              ),
            }}
          />
        </p>
      )}
      <ul>
        {conditions.map((condition, i) => (
          <ConditionRow
            key={i}
            lead={conditions.length === 1 ? t('mailRules.edit.one') : ''}
            condition={condition}
            disabled={disabled}
            onChange={next => onChange(withCondition(draft, i, next))}
            onRemove={conditions.length > 1 ? () => onChange(withCondition(draft, i, null)) : null}
          />
        ))}
      </ul>
      {!disabled && conditions.length < 20 && (
        <Button
          kind="link"
          className="mt-1"
          onClick={() =>
            onChange({
              ...draft,
              conditions: [...conditions, { field: 'subject', test: 'contains', values: [] }],
            })
          }
        >
          {t('mailRules.edit.addCondition')}
        </Button>
      )}
    </>
  )
}

function Outcome({
  effect: { data, error },
  isChanged,
  isReady,
}: {
  effect: ReturnType<typeof useRulesEffect>
  isChanged: boolean
  isReady: boolean
}) {
  const { t } = useTranslation()
  return (
    <section className="mt-4 border-t border-line pt-3" aria-live="polite">
      <h3 className="mb-1 font-bold text-ink-2">
        {t(isChanged ? 'mailRules.effect.title' : 'mailRules.effect.did')}
      </h3>
      {!isReady ? (
        <p className="text-ink-2">{t('mailRules.edit.unfinished')}</p>
      ) : error ? (
        <p className="text-stop">{problemOf(error).text}</p>
      ) : !data ? (
        <p className="text-ink-2">{t('mailRules.working')}</p>
      ) : (
        <>
          {isChanged && data.finding && data.finding.kind !== 'never' && (
            <p className="font-semibold text-amber">{findingText(data.finding, t)}</p>
          )}
          <RulesEffect effect={data} said={isChanged ? 'rule' : 'without'} />
        </>
      )}
    </section>
  )
}

interface ButtonsProps {
  readonly owner: Owner
  readonly rule: MailRuleShape | null
  readonly isChanged: boolean
  readonly isReady: boolean
  readonly onReset: () => void
  readonly onGone: () => void
}

function Buttons({ owner, rule, isChanged, isReady, onReset, onGone }: ButtonsProps) {
  const { t } = useTranslation()
  const removing = useRulesChange(owner, onGone)
  const switching = useRulesChange(owner)
  return (
    <p className="mt-4 flex flex-wrap gap-3 pb-6">
      {isChanged && (
        <>
          <Button kind="main" type="submit" disabled={!isReady}>
            {t('mailRules.edit.save')}
          </Button>
          <Button onClick={onReset}>{t('mailRules.edit.cancel')}</Button>
        </>
      )}
      {rule && !isChanged && (
        <>
          <Button
            disabled={switching.isPending}
            onClick={() =>
              switching.mutate({ change: { act: 'switch', id: rule.id, on: !rule.on }, name: rule.name })
            }
          >
            {t(rule.on ? 'mailRules.edit.switchOff' : 'mailRules.edit.switchOn')}
          </Button>
          {owner !== null && <CopyRules owner={owner} rules={[rule]} />}
          <Button
            disabled={removing.isPending}
            onClick={() => removing.mutate({ change: removalOf(rule), name: rule.name })}
          >
            {t('mailRules.edit.remove')}
          </Button>
        </>
      )}
    </p>
  )
}
