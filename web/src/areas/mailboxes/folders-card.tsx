import { useTranslation } from 'react-i18next'
import type { MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Card } from '../../parts/card.tsx'
import { useChange } from './use-mailboxes.ts'

/** Folders with what went there, and whether the mail program fetches them: what it leaves out is not seen. */
export function FoldersCard({ sheet }: { sheet: MailboxSheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const changing = useChange(sheet, () => undefined)
  const { folders } = sheet
  const was = folders.filter(({ fetched }) => !fetched).map(({ folder }) => folder)
  const pick = (folder: string, to: 'yes' | 'no') => {
    const others = was.filter(one => one !== folder)
    if ((to === 'no') === was.includes(folder)) return
    changing.mutate({
      change: { what: 'unfetched', was, to: to === 'no' ? [...others, folder] : others },
      reason: '',
    })
  }
  return (
    <Card title={t('mailboxes.folders.title')}>
      {folders.length === 0 && <p className="text-ink-2">{t('mailboxes.folders.none')}</p>}
      <ul className="max-h-56 overflow-y-auto">
        {folders.map(({ folder, deliveries, fetched }) => (
          <li key={folder} className="flex items-baseline gap-3 py-0.5">
            <span className="min-w-0 flex-1 truncate" title={folder}>
              {folder}
            </span>
            <span className="text-[0.92rem] text-ink-2">
              {t('mailboxes.folders.count', { count: deliveries })}
            </span>
            <SentenceSlot
              label={t('mailboxes.folders.fetchedLabel', { folder })}
              text={t(`mailboxes.folders.${fetched ? 'fetched' : 'unfetched'}`)}
              tone={fetched ? 'plain' : 'blocked'}
              disabled={!mayWrite(session) || changing.isPending}
              value={fetched ? 'yes' : 'no'}
              options={(['yes', 'no'] as const).map(value => ({
                value,
                text: t(`mailboxes.folders.${value === 'yes' ? 'fetched' : 'unfetched'}`),
                hint: t(`mailboxes.folders.${value === 'yes' ? 'fetchedHint' : 'unfetchedHint'}`),
              }))}
              onPick={to => pick(folder, to)}
            />
          </li>
        ))}
      </ul>
    </Card>
  )
}
