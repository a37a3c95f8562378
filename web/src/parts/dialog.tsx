import { useRef, type ReactNode } from 'react'
import { Dialog as Radix } from 'radix-ui'
import { giveFocusBack } from './focus.ts'

interface DialogProps {
  readonly open: boolean
  readonly onOpenChange: (open: boolean) => void
  readonly title: string
  readonly text: string
  /** What opens it, where that stands beside it. */
  readonly trigger?: ReactNode
  readonly children: ReactNode
}

/** A question or a table in front of everything else; Escape and a click beside it close it. */
export function Dialog({ open, onOpenChange, title, text, trigger, children }: DialogProps) {
  // Where nothing beside it is known to have opened it, the keyboard goes back to where it was.
  const before = useRef<Element | null>(null)
  return (
    <Radix.Root open={open} onOpenChange={onOpenChange}>
      {trigger}
      <Radix.Portal>
        <Radix.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Radix.Content
          onOpenAutoFocus={() => (before.current = document.activeElement)}
          onCloseAutoFocus={event =>
            giveFocusBack(event, before.current instanceof HTMLElement ? before.current : null)
          }
          className="fixed top-1/2 left-1/2 z-50 w-[min(520px,94vw)] -translate-x-1/2 -translate-y-1/2 rounded-lg border border-line-strong bg-sheet p-6"
        >
          <Radix.Title className="font-serif text-[1.2rem] font-semibold">{title}</Radix.Title>
          <Radix.Description className="mt-1 text-ink-2">{text}</Radix.Description>
          {children}
        </Radix.Content>
      </Radix.Portal>
    </Radix.Root>
  )
}

export const DialogTrigger = Radix.Trigger
export const DialogClose = Radix.Close
