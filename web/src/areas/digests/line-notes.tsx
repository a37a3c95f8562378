import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { noteDigestLine, type DigestPreview } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'

type Line = DigestPreview['lines'][number]

/** What a staffer can change about a digest before it goes. */
export function LineNotes({ lines }: { lines: readonly Line[] }) {
  const { t } = useTranslation()
  if (lines.length === 0) return null
  return (
    <section aria-label={t('digests.lines')} className="mx-auto mt-5 max-w-2xl">
      <h3 className="font-bold text-ink-2">{t('digests.lines')}</h3>
      <p className="text-[0.92rem] text-ink-2">{t('digests.linesText')}</p>
      <ol>
        {lines.map(line => (
          <LineNote key={line.deliveryId} line={line} />
        ))}
      </ol>
    </section>
  )
}

function LineNote({ line }: { line: Line }) {
  const { t } = useTranslation()
  const noting = useAct({
    send: (body: { leaveOut: boolean; note: string }) =>
      call(noteDigestLine, { params: { id: line.deliveryId }, body }),
    makes: 'digest-changed',
  })
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-center gap-x-3 gap-y-1 border-b border-line py-2">
      <span className={clsx('truncate', line.leaveOut && 'text-ink-2 line-through decoration-line-strong')}>
        <b>{line.from}</b> {line.subject}
      </span>
      <Button
        kind="link"
        disabled={noting.isPending}
        onClick={() => noting.mutate({ leaveOut: !line.leaveOut, note: line.note })}
      >
        {t(line.leaveOut ? 'digests.listIt' : 'digests.leaveOut')}
      </Button>
      {!line.leaveOut && (
        <form
          className="col-span-2 flex gap-2"
          onSubmit={event => {
            event.preventDefault()
            const note = String(new FormData(event.currentTarget).get('note') ?? '').trim()
            noting.mutate({ leaveOut: false, note })
          }}
        >
          <input
            name="note"
            defaultValue={line.note}
            maxLength={500}
            aria-label={t('digests.noteLabel', { subject: line.subject })}
            placeholder={t('digests.notePlaceholder')}
            className="min-w-0 flex-1 rounded-sm border border-line-strong bg-raised px-2 py-1"
          />
          <Button type="submit" disabled={noting.isPending}>
            {t('digests.saveNote')}
          </Button>
        </form>
      )}
    </li>
  )
}
