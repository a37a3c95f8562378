import { useRef, type ReactNode } from 'react'
import { Popover } from 'radix-ui'
import { giveFocusBack } from './focus.ts'
import { slotButton, SlotFace, type Look } from './slot-face.tsx'

/** The panel of a slot, and the button that opens it. */
export function Panel({
  children,
  ...look
}: Look & {
  readonly open: boolean
  readonly onOpenChange: (open: boolean) => void
  readonly children: (close: () => void) => ReactNode
}) {
  const trigger = useRef<HTMLButtonElement>(null)
  const { open, onOpenChange, label, text } = look
  return (
    <Popover.Root open={open} onOpenChange={onOpenChange}>
      <Popover.Trigger ref={trigger} {...slotButton(look)}>
        <SlotFace text={text} />
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
          {children(() => onOpenChange(false))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
