import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { previewMailboxes, type changeMailboxes, type MailboxSheet } from '@pendro/contract'
import { useQuery } from '@tanstack/react-query'
import type { z } from 'zod'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { Button } from '../../parts/buttons.tsx'
import { Field, inputStyle, TextField } from '../../parts/field.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { problemText } from './outcome.tsx'

/** A mailbox as it is to be, as the API takes it. */
export type Line = z.input<typeof changeMailboxes.body>['lines'][number]

interface Typed {
  readonly address: string
  readonly name: string
  readonly kind: string
  readonly department: string
  readonly aliases: string
  readonly minders: string
  readonly language: string
  readonly timeZone: string
}
const blank: Typed = {
  address: '',
  name: '',
  kind: 'person',
  department: '',
  aliases: '',
  minders: '',
  language: '',
  timeZone: '',
}

/** What a form begins with: a mailbox that is there, with the addresses of its minders. */
export const typedOf = (
  { address, name, kind, department, aliases, language, timeZone }: MailboxSheet['mailbox'],
  minders: readonly string[],
): Typed => ({
  address,
  name,
  kind,
  department,
  aliases: aliases.join(' '),
  minders: minders.join(' '),
  language,
  timeZone,
})

interface FormProps {
  /** Which mailbox it is about; without it a new one. */
  readonly id?: number
  readonly first?: Typed
  readonly go: string
  readonly busy: boolean
  readonly onSend: (line: Line) => void
  readonly onCancel?: () => void
}

/** What a mailbox is: filled in, looked at by the server while it is typed, and sent. */
export function EntryForm({ id, first = blank, go, busy, onSend, onCancel }: FormProps) {
  const { t } = useTranslation()
  const [typed, setTyped] = useState(first)
  const { address, ...fields } = typed
  const line: Line = { ...(id !== undefined && { id }), address: address.trim(), fields }
  const wrong = useProblem(line)
  const isSame = JSON.stringify(typed) === JSON.stringify(first)
  const text = (of: keyof Typed, help?: string) => (
    <TextField
      label={t(`directory.who.${of}`)}
      help={help}
      value={typed[of]}
      maxLength={of === 'aliases' || of === 'minders' ? 5000 : 320}
      onChange={({ target }) => setTyped({ ...typed, [of]: target.value })}
    />
  )
  return (
    <form
      className="mt-2 grid gap-3"
      onSubmit={event => {
        event.preventDefault()
        onSend(line)
      }}
    >
      {text('address')}
      {text('name')}
      <KindField value={typed.kind} onChange={kind => setTyped({ ...typed, kind })} />
      {text('department')}
      {text('aliases', t('directory.who.aliasesHelp'))}
      {typed.kind !== 'person' && text('minders', t('directory.who.mindersHelp'))}
      <details>
        <summary className="cursor-pointer font-semibold">
          {t('directory.who.language')}, {t('directory.who.timeZone')}
        </summary>
        <div className="mt-2 grid gap-3">
          {text('language')}
          {text('timeZone')}
        </div>
      </details>
      {wrong !== '' && !isSame && (
        <p role="alert" className="text-stop">
          {wrong}
        </p>
      )}
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={busy || isSame || wrong !== '' || address.trim() === ''}>
          {go}
        </Button>
        {onCancel && <Button onClick={onCancel}>{t('directory.who.cancel')}</Button>}
      </p>
    </form>
  )
}

function KindField({ value, onChange }: { value: string; onChange: (kind: string) => void }) {
  const { t } = useTranslation()
  return (
    <Field label={t('directory.who.kind')}>
      {input => (
        <select
          {...input}
          value={value}
          onChange={({ target }) => onChange(target.value)}
          className={inputStyle}
        >
          {(['person', 'shared', 'list'] as const).map(kind => (
            <option key={kind} value={kind}>
              {t(`directory.who.kinds.${kind}`)}
            </option>
          ))}
        </select>
      )}
    </Field>
  )
}

/** What the server says is wrong with a line; '' for nothing. */
function useProblem(line: Line): string {
  const { t } = useTranslation()
  const asked = useDelayed(line, 300)
  const { data } = useQuery({
    queryKey: queryKeyOf('mailbox', 'directory', asked),
    enabled: asked.address !== '',
    retry: false,
    gcTime: 10_000,
    queryFn: ({ signal }) => call(previewMailboxes, { body: { lines: [asked] }, signal }),
  })
  const problem = data?.answers[0]?.problem
  return problem ? problemText(problem, t) : ''
}
