import { useState, type KeyboardEvent } from 'react'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { mostValues } from '@pendro/contract'
import { withValues } from './draft.ts'

interface Props {
  readonly values: readonly string[]
  readonly disabled: boolean
  readonly onChange: (values: string[]) => void
}

/** Values of a condition, each a chip: typed and ended by Enter, or pasted, one a line. */
export function Values({ values, disabled, onChange }: Props) {
  const { t } = useTranslation()
  const [typed, setTyped] = useState('')
  const take = (text: string) => {
    onChange(withValues(values, text).slice(0, mostValues))
    setTyped('')
  }
  const press = (event: KeyboardEvent<HTMLInputElement>) => {
    if (event.key === 'Enter' && typed.trim() !== '') {
      event.preventDefault()
      take(typed)
    }
    if (event.key === 'Backspace' && typed === '' && values.length > 0) onChange(values.slice(0, -1))
  }
  return (
    <div className="flex min-w-[min(100%,14rem)] flex-1 flex-wrap items-center gap-1.5 rounded-md border border-line-strong bg-raised px-2 py-1 has-[input:focus]:border-petrol">
      {values.map(value => (
        <span
          key={value}
          className="inline-flex max-w-full items-center gap-1 rounded-sm bg-tint px-1.5 font-mono text-[0.94em]"
        >
          <span className="min-w-0 [overflow-wrap:anywhere]">{value}</span>
          {!disabled && (
            <button
              type="button"
              aria-label={t('mailRules.edit.removeValue', { value })}
              onClick={() => onChange(values.filter(one => one !== value))}
              className="grid size-6 shrink-0 place-items-center hover:text-stop"
            >
              <X aria-hidden className="size-3.5" />
            </button>
          )}
        </span>
      ))}
      {!disabled && values.length < mostValues && (
        <input
          value={typed}
          aria-label={t('mailRules.edit.value')}
          placeholder={values.length === 0 ? t('mailRules.edit.addValue') : ''}
          maxLength={200}
          onChange={({ target }) => setTyped(target.value)}
          onKeyDown={press}
          onBlur={() => typed.trim() !== '' && take(typed)}
          onPaste={event => {
            const text = event.clipboardData.getData('text')
            if (!/\n/.test(text)) return
            event.preventDefault()
            take(`${typed}${text}`)
          }}
          className="min-w-40 flex-1 bg-transparent py-0.5 outline-none"
        />
      )}
    </div>
  )
}
