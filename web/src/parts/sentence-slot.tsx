import { useRef, useState, type ReactNode } from 'react'
import { clsx } from 'clsx'
import { Command } from 'cmdk'
import { Check, ChevronDown } from 'lucide-react'
import { Popover } from 'radix-ui'
import { useTranslation } from 'react-i18next'
import { giveFocusBack } from './focus.ts'

export interface SlotOption<V extends string> {
  readonly value: V
  readonly text: string
  /** A second line: what follows from choosing it. */
  readonly hint?: string
  readonly disabled?: boolean
}

interface Look {
  /** What the slot is about, for screen readers: "which mail". */
  readonly label: string
  /** What stands in the sentence. */
  readonly text: string
  readonly tone?: 'plain' | 'safe' | 'blocked'
  readonly mono?: boolean
  readonly disabled?: boolean
  /** Filled blanks of a question look like paper rather than like a choice. */
  readonly open?: boolean
  readonly onOpenChange?: (open: boolean) => void
}

const tones = {
  plain: 'bg-tint text-petrol-deep dark:text-ink border-petrol',
  safe: 'bg-wanted-tint text-wanted border-wanted',
  blocked: 'bg-amber-tint text-stop border-stop',
} as const

/** A word in a sentence that opens a panel; the panel closes itself by `close`. */
export function SlotPanel({
  label,
  text,
  tone = 'plain',
  mono = false,
  disabled = false,
  open,
  onOpenChange,
  children,
}: Look & { children: (close: () => void) => ReactNode }) {
  const [ownOpen, setOwnOpen] = useState(false)
  const trigger = useRef<HTMLButtonElement>(null)
  const isOpen = open ?? ownOpen
  const setOpen = onOpenChange ?? setOwnOpen
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen}>
      <Popover.Trigger
        ref={trigger}
        disabled={disabled}
        aria-label={`${label}: ${text}`}
        className={clsx(
          'inline-flex max-w-[min(100%,34rem)] items-baseline gap-1 rounded-t-sm border-b-2 px-1.5 pb-px leading-snug font-semibold hover:brightness-97 disabled:opacity-60',
          mono && 'font-mono text-[0.94em]',
          tones[tone],
        )}
      >
        <span className="min-w-0 truncate">{text}</span>
        <ChevronDown aria-hidden className="size-3 shrink-0 self-center" />
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={12}
          aria-label={label}
          // Where a ruling is made, the next key is meant for the ruling and not for the word that was just chosen.
          onCloseAutoFocus={event => giveFocusBack(event, trigger.current?.closest('[data-pane]'))}
          className="z-40 w-max max-w-[min(460px,94vw)] min-w-56 rounded-md border border-line-strong bg-raised text-ink shadow-[0_6px_24px_rgb(30_42_48/.16)]"
        >
          {children(() => setOpen(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}

/** A word in a sentence with options to choose from; typing narrows them. */
export function SentenceSlot<V extends string>({
  value,
  options,
  onPick,
  ...look
}: Look & { value: V; options: readonly SlotOption<V>[]; onPick: (value: V) => void }) {
  const { t } = useTranslation()
  return (
    <SlotPanel {...look}>
      {close => (
        <Command
          label={look.label}
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
                onSelect={() => {
                  onPick(option.value)
                  close()
                }}
              />
            ))}
          </Command.List>
        </Command>
      )}
    </SlotPanel>
  )
}

const matches = (texts: readonly string[], typed: string) =>
  texts.some(text => text.toLowerCase().includes(typed.trim().toLowerCase()))

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
