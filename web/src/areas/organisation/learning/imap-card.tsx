import { useState, type ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import type { HistorySourceShape, HistoryVerdictShape } from '@pendro/contract'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { TextField } from '../../../parts/field.tsx'
import { MailboxSlot } from '../../../parts/mailbox-slot.tsx'
import { Select } from '../fields.tsx'
import { useBegin } from './use-history.ts'

type Imap = Extract<HistorySourceShape, { kind: 'imap' }>

const usual: Imap = { kind: 'imap', host: '', port: 993, tls: 'implicit', user: '', folder: 'INBOX' }

/** A folder of an account on some mail server. */
export function ImapCard() {
  const { t } = useTranslation()
  const [source, setSource] = useState(usual)
  const [password, typePassword] = useState('')
  const [mailbox, setMailbox] = useState<number>()
  const [verdict, setVerdict] = useState<HistoryVerdictShape>('wanted')
  const begin = useBegin(() => typePassword(''))
  const isWhole = source.host !== '' && source.user !== '' && source.folder !== '' && mailbox !== undefined
  return (
    <Card title={t('learning.imap.title')}>
      <p className="text-ink-2">{t('learning.imap.text')}</p>
      <form
        className="mt-2 grid gap-3"
        onSubmit={event => {
          event.preventDefault()
          if (isWhole) begin.mutate({ mailbox, verdict, source, password })
        }}
      >
        <Account source={source} onChange={setSource} password={password} onPassword={typePassword}>
          <Select
            label={t('learning.verdictLabel')}
            all={['wanted', 'junk', 'sent'] as const}
            chosen={verdict}
            nameOf={one => t(`learning.verdict.${one}`)}
            onChange={setVerdict}
          />
        </Account>
        <p className="flex flex-wrap items-center gap-x-4 gap-y-2">
          <span>
            {t('learning.imap.of')}{' '}
            <MailboxSlot
              label={t('learning.mailboxLabel')}
              mailbox={mailbox}
              onPick={setMailbox}
              nobody={t('learning.nobody')}
            />
          </span>
          <Button type="submit" disabled={!isWhole || begin.isPending}>
            {t('learning.imap.begin')}
          </Button>
        </p>
      </form>
    </Card>
  )
}

function Account({
  source,
  onChange,
  password,
  onPassword,
  children,
}: {
  source: Imap
  onChange: (source: Imap) => void
  password: string
  onPassword: (password: string) => void
  children: ReactNode
}) {
  const { t } = useTranslation()
  const line = (name: 'host' | 'user' | 'folder', help?: string) => (
    <TextField
      label={t(`learning.imap.${name}`)}
      help={help}
      value={source[name]}
      maxLength={200}
      spellCheck={false}
      autoComplete="off"
      onChange={({ target }) => onChange({ ...source, [name]: target.value })}
    />
  )
  return (
    <div className="grid grid-cols-[repeat(auto-fit,minmax(9rem,1fr))] items-start gap-x-3 gap-y-2">
      {line('host')}
      <TextField
        label={t('learning.imap.port')}
        type="number"
        min={1}
        max={65_535}
        value={source.port || ''}
        onChange={({ target }) => onChange({ ...source, port: target.valueAsNumber || 0 })}
      />
      <Select
        label={t('learning.imap.tls')}
        all={['implicit', 'starttls', 'off'] as const}
        chosen={source.tls}
        nameOf={one => t(`learning.imap.tlss.${one}`)}
        onChange={tls => onChange({ ...source, tls })}
      />
      {line('user')}
      <TextField
        label={t('learning.imap.password')}
        type="password"
        autoComplete="off"
        value={password}
        onChange={({ target }) => onPassword(target.value)}
      />
      {line('folder', t('learning.imap.folderHelp'))}
      {children}
    </div>
  )
}
