import { queryKeyOf } from '../app/query-keys.ts'
import { useEffect, useState, type KeyboardEvent } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { useTranslation } from 'react-i18next'
import { findMailboxes } from '@pendro/contract'
import { call } from '../app/api.ts'
import { SlotItem } from './choices.tsx'
import type { MailboxSlotProps } from './mailbox-slot.tsx'

/** The mailboxes that are found by what is typed. */
export function MailboxChoices({
  mailbox,
  onPick,
  nobody,
  others,
  close,
}: MailboxSlotProps & { readonly close: () => void }) {
  const { t } = useTranslation()
  const [find, setFind] = useState('')
  const { data, isPlaceholderData } = useQuery({
    queryKey: queryKeyOf('mailboxes', find),
    queryFn: ({ signal }) => call(findMailboxes, { query: { find, limit: 12 }, signal }),
    placeholderData: keepPreviousData,
  })
  const chosen = (pick: () => void) => () => {
    pick()
    close()
  }
  const { at, setAt, enter } = useFirstFound(find, isPlaceholderData ? undefined : data?.mailboxes, id =>
    chosen(() => onPick(id))(),
  )
  return (
    <Command label={t('mailboxSlot.label')} loop shouldFilter={false} value={at} onValueChange={setAt}>
      <Command.Input
        autoFocus
        value={find}
        onValueChange={setFind}
        onKeyDown={enter}
        placeholder={t('mailboxSlot.type')}
        className="w-full border-b border-line bg-transparent px-3 py-2 outline-none"
      />
      <Command.List className="max-h-80 overflow-auto p-1">
        {find === '' && (
          <Nobody mailbox={mailbox} onPick={onPick} nobody={nobody} others={others} chosen={chosen} />
        )}
        {data?.mailboxes.map(({ id, name: text, address, kept }) => (
          <SlotItem
            key={id}
            option={{
              value: `m${id}`,
              text,
              hint: `${address} · ${t('mailboxSlot.kept', { count: kept })}`,
            }}
            chosen={id === mailbox}
            onSelect={chosen(() => onPick(id))}
          />
        ))}
        {data?.mailboxes.length === 0 && (
          <p className="px-3 py-2 text-ink-2">{t('mailboxSlot.nobody', { find })}</p>
        )}
      </Command.List>
    </Command>
  )
}

/** What can be chosen instead of a colleague. */
function Nobody({
  mailbox,
  onPick,
  nobody,
  others,
  chosen,
}: MailboxSlotProps & { readonly chosen: (pick: () => void) => () => void }) {
  const { t } = useTranslation()
  if (others !== undefined)
    return others.map(({ value, text, chosen: isChosen, onPick: pick }) => (
      <SlotItem
        key={value}
        option={{ value, text }}
        chosen={mailbox === undefined && isChosen}
        onSelect={chosen(pick)}
      />
    ))
  if (nobody !== undefined) return null
  return (
    <SlotItem
      option={{ value: 'all', text: t('mailboxSlot.all') }}
      chosen={mailbox === undefined}
      onSelect={chosen(() => onPick(undefined))}
    />
  )
}

/**
 * A name and Enter: the first that is found is the one at hand. Enter pressed before the answer is there waits for it, and
 * takes it when it is the only one.
 */
function useFirstFound(
  find: string,
  found: readonly { readonly id: number }[] | undefined,
  onTake: (id: number) => void,
) {
  const [at, setAt] = useState('')
  const [isEntered, setEntered] = useState(false)
  const first = found?.[0]?.id
  useEffect(() => {
    if (find !== '' && first !== undefined) setAt(`m${first}`)
  }, [find, first])
  useEffect(() => {
    if (!isEntered || found === undefined) return
    setEntered(false)
    if (found.length === 1 && first !== undefined) onTake(first)
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each answer
  }, [isEntered, found])
  const enter = (event: KeyboardEvent) => {
    if (event.key !== 'Enter' || find === '' || found !== undefined) return
    event.preventDefault()
    event.stopPropagation()
    setEntered(true)
  }
  return { at, setAt, enter }
}
