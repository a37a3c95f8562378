import { lazy, Suspense, useState, type ReactNode } from 'react'
import { later } from './later.tsx'
import { slotButton, SlotFace, type Look } from './slot-face.tsx'

export interface SlotOption<V extends string> {
  readonly value: V
  readonly text: string
  /** A second line: what follows from choosing it. */
  readonly hint?: string
  readonly disabled?: boolean
}

/** Whether its panel is open, where somebody else keeps that. */
interface Opening extends Look {
  readonly open?: boolean
  readonly onOpenChange?: (open: boolean) => void
}

const choices = later(() => import('./choices.tsx').then(m => m.Choices))
const mailboxChoices = later(() => import('./mailbox-choices.tsx').then(m => m.MailboxChoices))
const Choices = choices.Part
/** Mailboxes to choose from, in a panel. */
export const MailboxChoices = mailboxChoices.Part

// Panels come with code of their own, when the sentences are there; what is in them follows before anybody can have opened one.
const Panel = lazy(async () => {
  const { Panel: panel } = await import('./slot-panel.tsx')
  choices.fetch()
  mailboxChoices.fetch()
  return { default: panel }
})

/** A word in a sentence that opens a panel; the panel closes itself by `close`. */
export function SlotPanel({
  open,
  onOpenChange,
  children,
  ...look
}: Opening & { children: (close: () => void) => ReactNode }) {
  const [ownOpen, setOwnOpen] = useState(false)
  const setOpen = onOpenChange ?? setOwnOpen
  return (
    <Suspense
      fallback={
        <button type="button" aria-haspopup="dialog" {...slotButton(look)} onClick={() => setOpen(true)}>
          <SlotFace text={look.text} />
        </button>
      }
    >
      <Panel {...look} open={open ?? ownOpen} onOpenChange={setOpen}>
        {children}
      </Panel>
    </Suspense>
  )
}

/** A word in a sentence with options to choose from; typing narrows them. */
export function SentenceSlot<V extends string>({
  value,
  options,
  onPick,
  ...look
}: Opening & { value: V; options: readonly SlotOption<V>[]; onPick: (value: V) => void }) {
  return (
    <SlotPanel {...look}>
      {close => (
        <Suspense fallback={null}>
          <Choices
            label={look.label}
            value={value}
            options={options}
            onPick={picked => {
              const option = options.find(one => one.value === picked)
              if (option) onPick(option.value)
              close()
            }}
          />
        </Suspense>
      )}
    </SlotPanel>
  )
}
