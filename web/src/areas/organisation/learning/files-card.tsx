import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import type { HistoryVerdictShape, readHistory } from '@pendro/contract'
import { useNumbers } from '../../../app/times.ts'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { MailboxSlot } from '../../../parts/mailbox-slot.tsx'
import { SentenceSlot } from '../../../parts/sentence-slot.tsx'
import { useBegin, useBeginAll } from './use-history.ts'

type FoundFolder = z.output<typeof readHistory.response>['found'][number]

/** Mail folders of the machine; whose they are and what is read from the path, or said here. */
export function FilesCard({
  ready,
  found,
  may,
}: {
  ready: boolean
  found: readonly FoundFolder[]
  may: boolean
}) {
  const { t } = useTranslation()
  const beginAll = useBeginAll()
  const clear = found.filter(one => one.mailbox !== null && one.verdict !== null && one.run === null).length
  return (
    <Card title={t('learning.files.title')}>
      <p className="text-ink-2">{t(ready ? 'learning.files.text' : 'learning.files.notReady')}</p>
      {ready && found.length === 0 && <p className="mt-2">{t('learning.files.none')}</p>}
      {may && clear > 0 && (
        <Button
          kind="main"
          className="mt-2"
          disabled={beginAll.isPending}
          onClick={() => beginAll.mutate(undefined)}
        >
          {t('learning.files.all', { count: clear })}
        </Button>
      )}
      <ul className="mt-2 max-h-[60vh] divide-y divide-line overflow-y-auto">
        {found.map(folder => (
          <Folder key={folder.path} folder={folder} may={may} />
        ))}
      </ul>
    </Card>
  )
}

const verdicts = ['wanted', 'junk', 'sent'] as const

function Folder({ folder, may }: { folder: FoundFolder; may: boolean }) {
  const { t } = useTranslation()
  const { size } = useNumbers()
  const [mailbox, setMailbox] = useState(folder.mailbox ?? undefined)
  const [verdict, setVerdict] = useState<HistoryVerdictShape | null>(folder.verdict)
  const begin = useBegin()
  const { path, kind, bytes, run } = folder
  return (
    <li className="py-2">
      <p className="font-mono text-[0.92em] break-all">
        {path} {kind === 'mbox' && <span className="font-sans text-ink-2">{size(bytes)}</span>}
      </p>
      {run !== null && <p className="text-ink-2">{t('learning.files.learned')}</p>}
      {run === null && may && (
        <p className="mt-1 flex flex-wrap items-baseline gap-x-3 gap-y-1">
          <MailboxSlot
            label={t('learning.mailboxLabel')}
            mailbox={mailbox}
            onPick={setMailbox}
            nobody={t('learning.files.whose')}
          />
          <SentenceSlot
            label={t('learning.verdictLabel')}
            text={verdict === null ? t('learning.files.what') : t(`learning.verdict.${verdict}`)}
            value={verdict ?? 'wanted'}
            options={verdicts.map(value => ({ value, text: t(`learning.verdict.${value}`) }))}
            onPick={setVerdict}
          />
          <Button
            disabled={mailbox === undefined || verdict === null || begin.isPending}
            onClick={() =>
              mailbox !== undefined &&
              verdict !== null &&
              begin.mutate({ mailbox, verdict, source: { kind, path } })
            }
          >
            {t('learning.files.begin')}
          </Button>
        </p>
      )}
    </li>
  )
}
