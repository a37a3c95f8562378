import { useState } from 'react'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import type { MailRuleShape, RulesChange } from '@pendro/contract'
import { problemOf } from '../../app/api.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog } from '../../parts/dialog.tsx'
import { MailboxSlot, useMailboxName } from '../../parts/mailbox-slot.tsx'
import { RulesEffect } from '../../parts/rules-effect.tsx'
import { useRulesChange, useRulesEffect, type Owner } from './use-rules.ts'

const mostMailboxes = 200

/** Copies rules to other mailboxes; what that would have done there is shown first. */
export function CopyRules({ owner, rules }: { owner: Owner; rules: readonly MailRuleShape[] }) {
  const { t } = useTranslation()
  const [isOpen, setOpen] = useState(false)
  const [to, setTo] = useState<readonly number[]>([])
  const close = () => {
    setOpen(false)
    setTo([])
  }
  const change: RulesChange | null =
    isOpen && to.length > 0 ? { act: 'copy', ids: rules.map(({ id }) => id), to: [...to] } : null
  const effect = useRulesEffect(owner, change)
  const copying = useRulesChange(owner, close)
  return (
    <>
      <Button onClick={() => setOpen(true)}>{t('mailRules.edit.copy')}</Button>
      {isOpen && (
        <Dialog
          open
          onOpenChange={open => !open && close()}
          title={
            rules.length === 1
              ? t('mailRules.copy.title', { name: rules[0]?.name })
              : t('mailRules.copy.titleAll')
          }
          text={t('mailRules.copy.text')}
        >
          <ul className="my-2 flex flex-wrap gap-2">
            {to.map(id => (
              <Target key={id} id={id} onRemove={() => setTo(to.filter(one => one !== id))} />
            ))}
          </ul>
          {to.length < mostMailboxes && (
            <MailboxSlot
              mailbox={undefined}
              label={t('mailRules.copy.add')}
              nobody={t('mailRules.copy.add')}
              onPick={id => id !== undefined && id !== owner && !to.includes(id) && setTo([...to, id])}
            />
          )}
          <div className="mt-3" aria-live="polite">
            {effect.error && <p className="text-stop">{problemOf(effect.error).text}</p>}
            {change && effect.data && <RulesEffect effect={effect.data} said="rule" />}
          </div>
          <p className="mt-4 flex flex-wrap gap-3">
            <Button
              kind="main"
              disabled={change === null || copying.isPending}
              onClick={() => change && copying.mutate({ change })}
            >
              {t('mailRules.copy.do', { count: to.length })}
            </Button>
            <Button onClick={close}>{t('mailRules.edit.cancel')}</Button>
          </p>
        </Dialog>
      )}
    </>
  )
}

function Target({ id, onRemove }: { id: number; onRemove: () => void }) {
  const { t } = useTranslation()
  const name = useMailboxName(id) ?? '…'
  return (
    <li className="inline-flex items-center gap-1 rounded-sm bg-tint px-2">
      {name}
      <button
        type="button"
        aria-label={t('mailRules.copy.remove', { name })}
        onClick={onRemove}
        className="grid size-6 place-items-center hover:text-stop"
      >
        <X aria-hidden className="size-3.5" />
      </button>
    </li>
  )
}
