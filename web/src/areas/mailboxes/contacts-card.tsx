import { useRef, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { bringInContacts, clearContacts, undoMailboxChange, type ContactsAnswer } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNumbers } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Card } from '../../parts/card.tsx'

type Whose = number | 'everybody'

/** The address book of a mailbox or of everybody: how many are in it, and a way to bring in more. */
export function ContactsCard({ whose, count, may }: { whose: Whose; count: number; may: boolean }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const input = useRef<HTMLInputElement>(null)
  const [file, setFile] = useState<File | null>(null)
  const { add, clear, look, problem } = useContacts(whose, () => setFile(null))
  return (
    <Card title={t('mailboxes.contacts.title')}>
      <p>
        {count === 0
          ? t(whose === 'everybody' ? 'mailboxes.contacts.noneOfAll' : 'mailboxes.contacts.none')
          : t('mailboxes.contacts.count', { count, number: number(count) })}{' '}
        <span className="text-ink-2">{t('mailboxes.contacts.text')}</span>
      </p>
      {may && (
        <p className="mt-2 flex flex-wrap gap-3">
          <input
            ref={input}
            type="file"
            accept=".vcf,.csv,.txt,text/vcard,text/csv,text/plain"
            aria-label={t('mailboxes.contacts.file')}
            className="sr-only"
            tabIndex={-1}
            onChange={({ target }) => {
              const [chosen] = target.files ?? []
              target.value = ''
              if (!chosen) return
              setFile(chosen)
              look.mutate(chosen)
            }}
          />
          <Button onClick={() => input.current?.click()}>{t('mailboxes.contacts.bringIn')}</Button>
          {count > 0 && (
            <Button kind="link" disabled={clear.isPending} onClick={() => clear.mutate()}>
              {t('mailboxes.contacts.clear')}
            </Button>
          )}
        </p>
      )}
      {problem !== null && (
        <p role="alert" className="mt-2 text-stop">
          {problem}
        </p>
      )}
      {file && look.data && (
        <Found
          name={file.name}
          found={look.data}
          disabled={add.isPending}
          onAdd={() => add.mutate(file)}
          onCancel={() => setFile(null)}
        />
      )}
    </Card>
  )
}

function useContacts(whose: Whose, done: () => void) {
  const { t } = useTranslation()
  const send = (file: File, act: 'look' | 'add') =>
    call(bringInContacts, {
      query: { name: file.name.slice(0, 200), mailbox: whose, act },
      body: file,
    })
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('change.undone') }),
    makes: 'mailbox-changed',
  })
  const undo = (change: number | null) =>
    change === null ? {} : { action: { label: t('change.undo'), run: () => undoing.mutate(change) } }
  const look = useAct({ send: (file: File) => send(file, 'look'), quiet: true })
  const add = useAct({
    send: (file: File) => send(file, 'add'),
    onDone: done,
    notice: ({ added, change }) => ({
      text: t('mailboxes.contacts.added', { count: added }),
      ...undo(change),
    }),
    makes: 'mailbox-changed',
  })
  const clear = useAct({
    send: () => call(clearContacts, { body: { mailbox: whose } }),
    notice: ({ removed, change }) => ({
      text: t('mailboxes.contacts.removed', { count: removed }),
      ...undo(change),
    }),
    makes: 'mailbox-changed',
  })
  return { look, add, clear, problem: look.error ? problemOf(look.error).text : null }
}

/** What a file would bring, before it is brought in. */
function Found({
  name,
  found: { added, known, left, leftLines },
  disabled,
  onAdd,
  onCancel,
}: {
  name: string
  found: ContactsAnswer
  disabled: boolean
  onAdd: () => void
  onCancel: () => void
}) {
  const { t } = useTranslation()
  return (
    <div className="mt-3 border-t border-line pt-3" aria-live="polite">
      <p>
        <Sentence text={t('mailboxes.contacts.found', { name, added, known })} />
      </p>
      {leftLines > 0 && (
        <details className="mt-1">
          <summary>{t('mailboxes.contacts.left', { count: leftLines })}</summary>
          <ul className="max-h-40 overflow-y-auto text-[0.95rem]">
            {left.map(({ line, typed }) => (
              <li key={`${line} ${typed}`} className="truncate border-t border-line py-0.5">
                {line}: <span className="font-mono">{typed}</span>
              </li>
            ))}
          </ul>
        </details>
      )}
      <p className="mt-3 flex flex-wrap gap-3">
        <Button kind="main" disabled={disabled || added === 0} onClick={onAdd}>
          {t('mailboxes.contacts.add', { count: added })}
        </Button>
        <Button onClick={onCancel}>{t('change.cancel')}</Button>
      </p>
    </div>
  )
}
