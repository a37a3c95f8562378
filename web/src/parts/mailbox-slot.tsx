import { queryKeyOf } from '../app/query-keys.ts'
import { useState } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Command } from 'cmdk'
import { useTranslation } from 'react-i18next'
import { findMailboxes } from '@pendro/contract'
import { call } from '../app/api.ts'
import { SlotItem, SlotPanel } from './sentence-slot.tsx'

/** "all colleagues", or the one typed and chosen. */
export function MailboxSlot({
  mailbox,
  onPick,
  nobody,
  label,
  others,
}: {
  mailbox: number | undefined
  onPick: (id: number | undefined) => void
  /** What stands there while nobody is chosen; without it, all colleagues. */
  nobody?: string
  label?: string
  /** Choices beside the colleagues, in place of "all colleagues". */
  others?: readonly {
    readonly value: string
    readonly text: string
    readonly chosen: boolean
    readonly onPick: () => void
  }[]
}) {
  const { t } = useTranslation()
  const [find, setFind] = useState('')
  const { data } = useQuery({
    queryKey: queryKeyOf('mailboxes', find),
    queryFn: ({ signal }) => call(findMailboxes, { query: { find, limit: 12 }, signal }),
    placeholderData: keepPreviousData,
  })
  const name = useMailboxName(mailbox)
  return (
    <SlotPanel
      label={label ?? t('mailboxSlot.label')}
      text={
        mailbox === undefined
          ? (others?.find(({ chosen }) => chosen)?.text ?? nobody ?? t('mailboxSlot.all'))
          : (name ?? '…')
      }
    >
      {close => (
        <Command label={t('mailboxSlot.label')} loop shouldFilter={false}>
          <Command.Input
            autoFocus
            value={find}
            onValueChange={setFind}
            placeholder={t('mailboxSlot.type')}
            className="w-full border-b border-line bg-transparent px-3 py-2 outline-none"
          />
          <Command.List className="max-h-80 overflow-auto p-1">
            {find === '' &&
              others?.map(({ value, text, chosen, onPick: pick }) => (
                <SlotItem
                  key={value}
                  option={{ value, text }}
                  chosen={mailbox === undefined && chosen}
                  onSelect={() => {
                    pick()
                    close()
                  }}
                />
              ))}
            {find === '' && nobody === undefined && others === undefined && (
              <SlotItem
                option={{ value: 'all', text: t('mailboxSlot.all') }}
                chosen={mailbox === undefined}
                onSelect={() => {
                  onPick(undefined)
                  close()
                }}
              />
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
                onSelect={() => {
                  onPick(id)
                  close()
                }}
              />
            ))}
            {data?.mailboxes.length === 0 && (
              <p className="px-3 py-2 text-ink-2">{t('mailboxSlot.nobody', { find })}</p>
            )}
          </Command.List>
        </Command>
      )}
    </SlotPanel>
  )
}

/** The name behind a mailbox's number in the address; `null` while it is looked up. */
export function useMailboxName(id: number | undefined): string | null {
  const { data } = useQuery({
    queryKey: queryKeyOf('mailbox-name', id),
    enabled: id !== undefined,
    staleTime: Infinity,
    queryFn: ({ signal }) => call(findMailboxes, { query: { id, limit: 1 }, signal }),
  })
  return data?.mailboxes.find(mailbox => mailbox.id === id)?.name ?? null
}
