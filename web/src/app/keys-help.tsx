import { Dialog } from 'radix-ui'
import { useTranslation } from 'react-i18next'
import { Button, KeyCap } from '../parts/buttons.tsx'
import { giveFocusBack } from '../parts/focus.ts'

const rows = [
  ['J', 'K', 'move'],
  ['Space', '', 'read'],
  ['F6', '', 'panes'],
  ['X', '', 'mark'],
  ['Ctrl A', '', 'all'],
  ['Enter', '', 'apply'],
  ['R', '', 'release'],
  ['D', '', 'discard'],
  ['S', 'B', 'standing'],
  ['W', '', 'widen'],
  ['O', '', 'scope'],
  ['G', '', 'cluster'],
  ['U', '', 'undo'],
  ['A', '', 'add'],
  ['P', 'R', 'upkeep'],
  ['R', 'N', 'hit'],
  ['↓', '↑', 'card'],
  ['/', '', 'find'],
  ['?', '', 'keys'],
] as const

export function KeysHelp({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation()
  return (
    <Dialog.Root open={open} onOpenChange={onOpenChange}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-black/30" />
        <Dialog.Content
          onCloseAutoFocus={giveFocusBack}
          aria-describedby={undefined}
          className="fixed top-1/2 left-1/2 z-50 max-h-[94vh] w-[min(520px,94vw)] overflow-y-auto -translate-x-1/2 -translate-y-1/2 rounded-lg border border-line-strong bg-sheet p-6"
        >
          <Dialog.Title className="font-serif text-[1.2rem] font-semibold">{t('keys.title')}</Dialog.Title>
          <dl className="mt-4 grid grid-cols-[auto_1fr] items-center gap-x-5 gap-y-2">
            {rows.map(([first, second, what]) => (
              <div key={what} className="contents">
                <dt className="flex gap-1 text-ink">
                  <KeyCap>{first}</KeyCap>
                  {second !== '' && <KeyCap>{second}</KeyCap>}
                </dt>
                <dd>{t(`keys.${what}`)}</dd>
              </div>
            ))}
          </dl>
          <Dialog.Close asChild>
            <Button className="mt-5">{t('keys.close')}</Button>
          </Dialog.Close>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  )
}
