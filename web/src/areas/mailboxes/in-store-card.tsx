import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { MailboxInStore, MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { Dialog, DialogClose } from '../../parts/dialog.tsx'
import { useInStore, useLookAgain, useMoveAll, useUndoMove } from './use-in-store.ts'

type Folder = MailboxInStore['folders'][number]

/** Folders of a mailbox as its mail store has them: how much is in each, what is unread, and the way to the inbox. */
export function InStoreCard({ sheet: { mailbox }, className }: { sheet: MailboxSheet; className?: string }) {
  const { t } = useTranslation()
  const times = useTimes()
  const may = mayWrite(useSession())
  const { data } = useInStore(mailbox.id)
  const looking = useLookAgain(mailbox.id)
  const [asked, ask] = useState<Folder | null>(null)
  // A store that can’t be looked into has nothing to say here.
  if (!data || !data.open) return null
  return (
    <Card
      title={
        data.store === ''
          ? t('mailboxes.inStore.title')
          : t('mailboxes.inStore.titleOf', { store: data.store })
      }
      className={className}
      more={
        <Button kind="link" disabled={looking.isPending} onClick={() => looking.mutate()}>
          {t(looking.isPending ? 'mailboxes.inStore.looking' : 'mailboxes.inStore.lookAgain')}
        </Button>
      }
    >
      {data.trouble !== '' && <Trouble inStore={data} />}
      <p className="text-ink-2">
        {data.lookedAt === null
          ? t('mailboxes.inStore.never')
          : t('mailboxes.inStore.looked', { time: times.full(data.lookedAt) })}
      </p>
      {data.folders.length > 0 && <Folders folders={data.folders} may={may} onMove={ask} />}
      <Moves moves={data.moves} may={may} />
      <AskMove id={mailbox.id} name={mailbox.name} folder={asked} onClose={() => ask(null)} />
    </Card>
  )
}

function Trouble({ inStore: { trouble, detail, since } }: { inStore: MailboxInStore }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <div role="status" className="mb-2 rounded-md border border-amber/50 bg-amber-tint px-3 py-2">
      <p className="font-semibold">
        {t('mailboxes.inStore.trouble', { time: since === null ? '' : times.full(since) })}
      </p>
      <p>{t(`mailboxes.inStore.troubles.${trouble || 'refused'}`)}</p>
      {detail !== '' && <p className="break-words text-ink-2">“{detail}”</p>}
    </div>
  )
}

function Folders({
  folders,
  may,
  onMove,
}: {
  folders: readonly Folder[]
  may: boolean
  onMove: (folder: Folder) => void
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  return (
    <table className="mt-2 w-full">
      <thead>
        <tr className="text-left whitespace-nowrap text-ink-2">
          <th className="font-semibold">{t('mailboxes.inStore.folder')}</th>
          <th className="px-3 text-right font-semibold">{t('mailboxes.inStore.total')}</th>
          <th className="px-3 text-right font-semibold">{t('mailboxes.inStore.unread')}</th>
          <th>
            <span className="sr-only">{t('mailboxes.inStore.move')}</span>
          </th>
        </tr>
      </thead>
      <tbody>
        {folders.map(folder => (
          <tr key={folder.path} className="border-t border-line align-baseline">
            <td className="max-w-0 w-full truncate py-1" title={folder.path}>
              {folder.kind === 'inbox' ? t('mailboxes.inStore.kind.inbox') : folder.path}
              {(folder.kind === 'junk' || folder.kind === 'aside') && (
                <span className="text-ink-2"> · {t(`mailboxes.inStore.kind.${folder.kind}`)}</span>
              )}
            </td>
            <td className="px-3 text-right tabular-nums">{number(folder.total)}</td>
            <td
              className={`px-3 text-right tabular-nums ${folder.unread > 0 ? 'font-semibold' : 'text-ink-2'}`}
            >
              {number(folder.unread)}
            </td>
            <td className="text-right whitespace-nowrap">
              {may && folder.total > 0 && isMovable(folder) && (
                <Button kind="link" onClick={() => onMove(folder)}>
                  {t('mailboxes.inStore.toInbox')}
                  <span className="sr-only"> {folder.path}</span>
                </Button>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  )
}

/** What was thrown away or sent by the colleague is none of the desk’s business. */
const isMovable = ({ kind }: Folder) => kind === 'junk' || kind === 'aside' || kind === 'other'

function AskMove({
  id,
  name,
  folder,
  onClose,
}: {
  id: number
  name: string
  folder: Folder | null
  onClose: () => void
}) {
  const { t } = useTranslation()
  const moving = useMoveAll(id)
  return (
    <Dialog
      open={folder !== null}
      onOpenChange={open => !open && onClose()}
      title={t('mailboxes.inStore.ask', { from: folder?.path ?? '' })}
      text={t('mailboxes.inStore.askText', { count: folder?.total ?? 0, name })}
    >
      {folder?.kind === 'junk' && <p className="mt-2 font-semibold">{t('mailboxes.inStore.askJunk')}</p>}
      <div className="mt-4 flex flex-wrap gap-3">
        <Button
          kind="main"
          disabled={moving.isPending}
          onClick={() => folder && moving.mutate(folder.path, { onSettled: onClose })}
        >
          {t('mailboxes.inStore.moveAll', { count: folder?.total ?? 0 })}
        </Button>
        <DialogClose asChild>
          <Button>{t('mailboxes.inStore.cancel')}</Button>
        </DialogClose>
      </div>
    </Dialog>
  )
}

function Moves({ moves, may }: { moves: MailboxInStore['moves']; may: boolean }) {
  const { t } = useTranslation()
  const times = useTimes()
  const undoing = useUndoMove()
  if (moves.length === 0) return null
  return (
    <ul className="mt-3 border-t border-line pt-2" aria-live="polite">
      {moves.map(({ id, from, to, state, done, total, at, trouble }) => (
        <li key={id} className="py-0.5">
          {t(`mailboxes.inStore.state.${state}`, { from, to, done, count: total, time: times.full(at) })}{' '}
          {(state === 'moving' || state === 'undoing') && (
            <progress className="ml-1 h-2 w-24 accent-petrol" value={done} max={Math.max(1, total)} />
          )}
          {trouble !== '' && <span className="text-stop">{t(`mailboxes.inStore.troubles.${trouble}`)}</span>}{' '}
          {may && (state === 'done' || state === 'moving' || state === 'failed') && (
            <Button kind="link" disabled={undoing.isPending} onClick={() => undoing.mutate(id)}>
              {t('mailboxes.inStore.undo')}
            </Button>
          )}
        </li>
      ))}
    </ul>
  )
}
