import { clsx } from 'clsx'
import { Command } from 'cmdk'
import { Check } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import type { SlotOption } from './sentence-slot.tsx'

interface Props {
  readonly label: string
  readonly value: string
  readonly options: readonly SlotOption<string>[]
  readonly onPick: (value: string) => void
}

/** Options of a slot; typing narrows them. */
export function Choices({ label, value, options, onPick }: Props) {
  const { t } = useTranslation()
  return (
    <Command
      label={label}
      loop
      defaultValue={value}
      filter={(id, typed, words) => (matches([id, ...(words ?? [])], typed) ? 1 : 0)}
    >
      <Command.Input
        autoFocus
        placeholder={t('slot.type')}
        className={clsx(
          'w-full border-b border-line bg-transparent px-3 py-2 outline-none',
          options.length < 6 && 'sr-only',
        )}
      />
      <Command.List className="max-h-80 overflow-auto p-1">
        <Command.Empty className="px-3 py-2 text-ink-2">{t('slot.none')}</Command.Empty>
        {options.map(option => (
          <SlotItem
            key={option.value}
            option={option}
            chosen={option.value === value}
            onSelect={() => onPick(option.value)}
          />
        ))}
      </Command.List>
    </Command>
  )
}

const matches = (texts: readonly string[], typed: string) =>
  texts.some(text => text.toLowerCase().includes(typed.trim().toLowerCase()))

/** One of them. */
export function SlotItem<V extends string>({
  option,
  chosen,
  onSelect,
}: {
  option: SlotOption<V>
  chosen: boolean
  onSelect: () => void
}) {
  return (
    <Command.Item
      value={option.value}
      keywords={[option.text]}
      disabled={option.disabled}
      onSelect={onSelect}
      className="flex items-baseline gap-2 rounded-sm px-2 py-1.5 data-[disabled=true]:opacity-55 data-[selected=true]:bg-tint"
    >
      <Check
        aria-hidden
        className={clsx('size-3.5 shrink-0 self-center text-petrol', !chosen && 'invisible')}
      />
      <span className="min-w-0">
        <span className="block font-semibold">{option.text}</span>
        {option.hint && <span className="block text-[0.9em] text-ink-2">{option.hint}</span>}
      </span>
    </Command.Item>
  )
}
