import { queryKeyOf } from '../app/query-keys.ts'
import { Suspense } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { findMailboxes } from '@pendro/contract'
import { call } from '../app/api.ts'
import { MailboxChoices, SlotPanel } from './sentence-slot.tsx'

/** Which mailbox, and what is offered beside mailboxes. */
export interface MailboxSlotProps {
  readonly mailbox: number | undefined
  readonly onPick: (id: number | undefined) => void
  /** What stands there while nobody is chosen; without it, all colleagues. */
  readonly nobody?: string
  readonly label?: string
  /** Choices beside the colleagues, in place of "all colleagues". */
  readonly others?: readonly {
    readonly value: string
    readonly text: string
    readonly chosen: boolean
    readonly onPick: () => void
  }[]
}

/** "all colleagues", or the one typed and chosen. */
export function MailboxSlot(props: MailboxSlotProps) {
  const { t } = useTranslation()
  const { mailbox, nobody, label, others } = props
  const name = useMailboxName(mailbox)
  const noOne = others?.find(({ chosen }) => chosen)?.text ?? nobody ?? t('mailboxSlot.all')
  return (
    <SlotPanel label={label ?? t('mailboxSlot.label')} text={mailbox === undefined ? noOne : (name ?? '…')}>
      {close => (
        <Suspense fallback={null}>
          <MailboxChoices {...props} close={close} />
        </Suspense>
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
