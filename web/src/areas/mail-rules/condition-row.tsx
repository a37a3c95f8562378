import { clsx } from 'clsx'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { attachmentKinds, ruleFields, type RuleConditionShape } from '@pendro/contract'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { testsOf, withField } from './draft.ts'
import { Values } from './values.tsx'

interface Props {
  /** What stands in front of it. */
  readonly lead: string
  readonly condition: RuleConditionShape
  readonly disabled: boolean
  readonly onChange: (condition: RuleConditionShape) => void
  /** `null`: it is the only one. */
  readonly onRemove: (() => void) | null
}

/** One condition of a rule: what is looked at, how, and for what. */
export function ConditionRow({ lead, condition, disabled, onChange, onRemove }: Props) {
  const { t } = useTranslation()
  const tests = testsOf(condition)
  return (
    <li className="flex flex-wrap items-center gap-2 py-1">
      {lead !== '' && <span>{lead}</span>}
      <SentenceSlot
        label={t('mailRules.edit.fieldLabel')}
        text={t(`mailRules.field.${condition.field}`)}
        value={condition.field}
        disabled={disabled}
        options={ruleFields.map(value => ({ value, text: t(`mailRules.field.${value}`) }))}
        onPick={field => onChange(withField(condition, field))}
      />
      {tests.length > 1 ? (
        <SentenceSlot
          label={t('mailRules.edit.testLabel')}
          text={t(`mailRules.testName.${condition.test}`)}
          value={condition.test}
          disabled={disabled}
          options={tests.map(value => ({
            value,
            text: t(`mailRules.testName.${value}`),
            ...(t(`mailRules.testHint.${value}`) ? { hint: t(`mailRules.testHint.${value}`) } : {}),
          }))}
          onPick={test => onChange({ ...condition, test } as RuleConditionShape)}
        />
      ) : (
        <span>{t('mailRules.testName.is')}</span>
      )}
      <What condition={condition} disabled={disabled} onChange={onChange} />
      {onRemove && !disabled && (
        <button
          type="button"
          aria-label={t('mailRules.edit.removeCondition')}
          onClick={onRemove}
          className="grid size-8 place-items-center rounded-md text-ink-2 hover:text-stop"
        >
          <X aria-hidden className="size-4" />
        </button>
      )}
    </li>
  )
}

type WhatProps<C extends RuleConditionShape = RuleConditionShape> = {
  readonly condition: C
  readonly disabled: boolean
  readonly onChange: (condition: RuleConditionShape) => void
}
type Of<F extends RuleConditionShape['field']> = Extract<RuleConditionShape, { readonly field: F }>

function What({ condition, disabled, onChange }: WhatProps) {
  if (condition.field === 'size')
    return <Size condition={condition} disabled={disabled} onChange={onChange} />
  if (condition.field === 'kind')
    return <Kinds condition={condition} disabled={disabled} onChange={onChange} />
  return (
    <Values
      values={condition.values}
      disabled={disabled}
      onChange={values => onChange({ ...condition, values })}
    />
  )
}

function Size({ condition, disabled, onChange }: WhatProps<Of<'size'>>) {
  const { t } = useTranslation()
  return (
    <label className="inline-flex items-baseline gap-2">
      <input
        type="number"
        min={1}
        max={1_000_000}
        aria-label={t('mailRules.edit.sizeLabel')}
        disabled={disabled}
        value={Math.round(condition.bytes / 1000)}
        onChange={({ target }) => {
          if (target.valueAsNumber >= 0)
            onChange({ ...condition, bytes: Math.round(target.valueAsNumber) * 1000 })
        }}
        className="w-28 rounded-md border border-line-strong bg-raised px-2 py-1"
      />
      {t('mailRules.edit.kilobytes')}
    </label>
  )
}

function Kinds({ condition, disabled, onChange }: WhatProps<Of<'kind'>>) {
  const { t } = useTranslation()
  const { values } = condition
  return (
    <span
      role="group"
      aria-label={t('mailRules.field.kind')}
      className="flex min-w-0 flex-1 flex-wrap gap-1.5"
    >
      {attachmentKinds.map(kind => {
        const isOn = values.includes(kind)
        return (
          <button
            key={kind}
            type="button"
            aria-pressed={isOn}
            disabled={disabled}
            onClick={() =>
              onChange({
                ...condition,
                values: isOn ? values.filter(one => one !== kind) : [...values, kind],
              })
            }
            className={clsx(
              'rounded-full border px-2.5 py-0.5 text-[0.95rem]',
              isOn
                ? 'border-petrol bg-tint font-semibold'
                : 'border-line-strong bg-raised hover:border-petrol',
            )}
          >
            {t(`mailRules.kind.${kind}`)}
          </button>
        )
      })}
    </span>
  )
}
