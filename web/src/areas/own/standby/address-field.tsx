import { useId, useState, type KeyboardEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { suggestAddresses } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { Field } from '../../../parts/field.tsx'
import { useDelayed } from '../../../parts/use-delayed.ts'
import { addressesTyped } from './letter-text.ts'

function useSuggested(text: string) {
  const asked = useDelayed(text.trim(), 150)
  const { data } = useQuery({
    queryKey: queryKeyOf('own', 'standby', 'addresses', asked),
    enabled: asked.length > 1,
    queryFn: ({ signal }) => call(suggestAddresses, { query: { text: asked }, signal }),
  })
  return data?.addresses ?? []
}

/** Those that are in it, each with the way out. */
function Chosen({
  addresses,
  onChange,
}: {
  addresses: readonly string[]
  onChange: (addresses: string[]) => void
}) {
  const { t } = useTranslation()
  return addresses.map(address => (
    <span
      key={address}
      className="inline-flex max-w-full items-center gap-1 rounded bg-tint px-2 py-0.5 text-[0.95rem]"
    >
      <span className="truncate">{address}</span>
      <button
        type="button"
        aria-label={t('own.standby.without', { address })}
        onClick={() => onChange(addresses.filter(one => one !== address))}
        className="grid size-6 place-items-center rounded hover:bg-raised"
      >
        <X aria-hidden className="size-3.5" />
      </button>
    </span>
  ))
}

/** Whom a letter is to: each address by itself, completed from colleagues and those one has written to. */
export function AddressField({
  label,
  addresses,
  onChange,
}: {
  label: string
  addresses: readonly string[]
  onChange: (addresses: string[]) => void
}) {
  const [text, type] = useState('')
  const list = useId()
  const suggested = useSuggested(text)
  const take = (typed: string) => {
    const found = addressesTyped(typed)
    if (found.length === 0) return
    onChange([...addressesTyped([...addresses, ...found].join(','))])
    type('')
  }
  const change = (typed: string) => {
    type(typed)
    // Chosen from what is proposed, or ended with a comma.
    if (suggested.some(({ address }) => address === typed) || /[,;]\s*$/.test(typed)) take(typed)
  }
  const onKeyDown = (event: KeyboardEvent) => {
    if (event.key === 'Enter') {
      event.preventDefault()
      take(text)
    }
    if (event.key === 'Backspace' && text === '') onChange(addresses.slice(0, -1))
  }
  return (
    <Field label={label} className="mt-2">
      {input => (
        <div className="flex flex-wrap gap-1.5 rounded-md border border-line-strong bg-raised px-2 py-1.5">
          <Chosen addresses={addresses} onChange={onChange} />
          <input
            {...input}
            type="email"
            multiple
            list={list}
            value={text}
            autoComplete="off"
            spellCheck={false}
            onChange={({ target }) => change(target.value)}
            onBlur={() => take(text)}
            onKeyDown={onKeyDown}
            className="min-h-8 min-w-[10rem] flex-1 bg-transparent outline-none"
          />
          <datalist id={list}>
            {suggested.map(({ address, name }) => (
              <option key={address} value={address}>
                {name}
              </option>
            ))}
          </datalist>
        </div>
      )}
    </Field>
  )
}
