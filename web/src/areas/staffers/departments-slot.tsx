import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { SlotPanel } from '../../parts/sentence-slot.tsx'
import { listFormat } from '../../app/formats.ts'

/** All departments (`null`), or some by name. */
export type Departments = readonly string[] | null

interface SlotProps {
  readonly value: Departments
  /** Those there are. One that somebody looks after and that is none of them has no mailbox. */
  readonly there: readonly string[]
  readonly onPick: (value: string[] | null) => void
  /** Whose they are, for screen readers. */
  readonly label: string
  readonly disabled?: boolean
}

/** What somebody looks after: all of the organisation, or departments to be ticked. */
export function DepartmentsSlot({ value, there, onPick, label, disabled = false }: SlotProps) {
  const { t } = useTranslation()
  return (
    <SlotPanel label={label} text={useDepartmentsText()(value)} disabled={disabled}>
      {close => (
        <Choice
          value={value}
          there={there}
          title={t('staffers.departments.title')}
          onPick={picked => {
            close()
            onPick(picked)
          }}
        />
      )}
    </SlotPanel>
  )
}

/** The same below a label, as a part of a form. */
export function DepartmentsField(props: SlotProps) {
  return (
    <p>
      <span className="mb-1 block font-semibold">{props.label}</span>
      <DepartmentsSlot {...props} />
    </p>
  )
}

/** "all departments", or their names. */
export function useDepartmentsText(): (value: Departments) => string {
  const { t, i18n } = useTranslation()
  const list = listFormat(i18n.language, 'conjunction')
  return value => (value === null ? t('staffers.departments.all') : list.format(value))
}

function Choice({
  value,
  there,
  title,
  onPick,
}: Pick<SlotProps, 'value' | 'there' | 'onPick'> & { title: string }) {
  const { t } = useTranslation()
  const [picked, setPicked] = useState<Departments>(value)
  const names = [...there, ...(value ?? []).filter(name => !there.includes(name))]
  const toggle = (name: string, on: boolean) =>
    setPicked(names.filter(one => (one === name ? on : (picked ?? []).includes(one))))
  return (
    <form
      className="w-80"
      onSubmit={event => {
        event.preventDefault()
        onPick(picked && [...picked])
      }}
    >
      <fieldset className="px-3 pt-3">
        <legend className="sr-only">{title}</legend>
        <Tick
          text={t('staffers.departments.whole')}
          hint={t('staffers.departments.wholeHint')}
          checked={picked === null}
          onChange={on => setPicked(on ? null : [])}
        />
        <ul className="mt-2 max-h-72 overflow-y-auto border-t border-line pt-2">
          {names.map(name => (
            <li key={name}>
              <Tick
                text={name}
                hint={there.includes(name) ? '' : t('staffers.departments.gone')}
                checked={picked?.includes(name) ?? false}
                onChange={on => toggle(name, on)}
              />
            </li>
          ))}
        </ul>
      </fieldset>
      <p className="flex items-baseline gap-3 border-t border-line p-3">
        <Button kind="main" type="submit" disabled={picked?.length === 0}>
          {t('staffers.departments.go')}
        </Button>
        {picked?.length === 0 && <span className="text-ink-2">{t('staffers.departments.none')}</span>}
      </p>
    </form>
  )
}

function Tick({
  text,
  hint,
  checked,
  onChange,
}: {
  text: string
  hint: string
  checked: boolean
  onChange: (on: boolean) => void
}) {
  return (
    <label className="flex cursor-pointer items-start gap-2 py-1">
      <span className="pt-1">
        <Checkbox checked={checked} label={text} onChange={onChange} />
      </span>
      <span>
        {text}
        {hint !== '' && <span className="block text-[0.92rem] text-ink-2">{hint}</span>}
      </span>
    </label>
  )
}
