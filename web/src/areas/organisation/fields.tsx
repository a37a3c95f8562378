import { useId, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Field, inputStyle, TextField } from '../../parts/field.tsx'
import { linesOf } from './lines.ts'

/** Values, one a line. */
export function Lines({
  label,
  help,
  values,
  onChange,
}: {
  label: string
  help?: string
  values: readonly string[]
  onChange: (values: string[]) => void
}) {
  // What is typed keeps its blank lines; only its values go on.
  const [text, setText] = useState(values.join('\n'))
  const [shown, setShown] = useState(values)
  if (values !== shown) {
    setShown(values)
    if (JSON.stringify(linesOf(text)) !== JSON.stringify(values)) setText(values.join('\n'))
  }
  return (
    <Field label={label} help={help} className="mt-2">
      {input => (
        <textarea
          {...input}
          rows={Math.min(8, Math.max(2, values.length + 1))}
          value={text}
          spellCheck={false}
          onChange={({ target }) => {
            setText(target.value)
            onChange(linesOf(target.value))
          }}
          className={`${inputStyle} font-mono text-[0.9rem]`}
        />
      )}
    </Field>
  )
}

/** One line of text. */
export function Line({
  label,
  help,
  value,
  onChange,
}: {
  label: string
  help?: string
  value: string
  onChange: (value: string) => void
}) {
  return (
    <TextField
      label={label}
      help={help}
      className="mt-2"
      value={value}
      maxLength={320}
      onChange={({ target }) => onChange(target.value)}
    />
  )
}

/** Something that is so or not. */
export function Choice({
  label,
  chosen,
  onChange,
}: {
  label: string
  chosen: boolean
  onChange: (chosen: boolean) => void
}) {
  return (
    <label className="flex cursor-pointer items-center gap-2">
      <Checkbox checked={chosen} label={label} onChange={onChange} />
      <span>{label}</span>
    </label>
  )
}

/** Some of several, by their names. */
export function Choices<T extends string | number>({
  all,
  chosen,
  nameOf,
  onChange,
}: {
  all: readonly T[]
  chosen: readonly T[]
  nameOf: (one: T) => string
  onChange: (chosen: T[]) => void
}) {
  return (
    <ul className="flex flex-wrap gap-x-5 gap-y-1.5">
      {all.map(one => (
        <li key={one}>
          <Choice
            label={nameOf(one)}
            chosen={chosen.includes(one)}
            onChange={on => onChange(all.filter(other => (other === one ? on : chosen.includes(other))))}
          />
        </li>
      ))}
    </ul>
  )
}

/** Times of the day, added and taken out one by one. */
export function Times({
  times,
  onChange,
}: {
  times: readonly string[]
  onChange: (times: string[]) => void
}) {
  const { t } = useTranslation()
  return (
    <div className="flex flex-wrap items-center gap-2">
      {[...times, ''].slice(0, 6).map((time, i) => (
        <input
          key={i}
          type="time"
          value={time}
          aria-label={t('organisation.digest-times.time', { place: i + 1 })}
          onChange={({ target }) =>
            onChange([...times.slice(0, i), target.value, ...times.slice(i + 1)].filter(one => one !== ''))
          }
          className="rounded-md border border-line-strong bg-raised px-2 py-1"
        />
      ))}
    </div>
  )
}

/** One of several, each with a sentence of its own. */
export function OneOf<T extends string>({
  label,
  all,
  chosen,
  nameOf,
  onChange,
}: {
  label: string
  all: readonly T[]
  chosen: T
  nameOf: (one: T) => string
  onChange: (chosen: T) => void
}) {
  const name = useId()
  return (
    <fieldset className="min-w-0">
      <legend className="mb-1 font-semibold">{label}</legend>
      {all.map(one => (
        <label key={one} className="flex cursor-pointer min-h-7 items-baseline gap-2 py-1">
          <input
            type="radio"
            className="accent-petrol"
            name={name}
            checked={one === chosen}
            onChange={() => onChange(one)}
          />
          <span>{nameOf(one)}</span>
        </label>
      ))}
    </fieldset>
  )
}

/** One of a few, where there is little room. */
export function Select<T extends string>({
  label,
  all,
  chosen,
  nameOf,
  onChange,
}: {
  label: string
  all: readonly T[]
  chosen: T
  nameOf: (one: T) => string
  onChange: (chosen: T) => void
}) {
  return (
    <Field label={label}>
      {input => (
        <select
          {...input}
          value={chosen}
          onChange={({ target }) => onChange(all.find(one => one === target.value) ?? chosen)}
          className={inputStyle}
        >
          {all.map(one => (
            <option key={one} value={one}>
              {nameOf(one)}
            </option>
          ))}
        </select>
      )}
    </Field>
  )
}
