import { useState, type ReactNode } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { foldRules, previewFold, undoRuling, type FoldPreview } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useNumbers } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'

/** Rules that only keep senders out become entries: what goes, what stays and why, proven on the last month. */
export function FoldRules({ mailboxId, name, may, onDone }: Props) {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('mail-rule', 'fold', mailboxId),
    queryFn: ({ signal }) => call(previewFold, { params: { id: mailboxId }, signal }),
  })
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data)
    return (
      <>
        <p className="px-6 pt-4 text-ink-2">{t('mailRules.working')}</p>
        <SkeletonRows count={5} />
      </>
    )
  return <Plan plan={data} {...{ mailboxId, name, may, onDone }} />
}

interface Props {
  readonly mailboxId: number
  readonly name: string
  readonly may: boolean
  readonly onDone: () => void
}

function Plan({ plan, mailboxId, name, may, onDone }: Props & { plan: FoldPreview }) {
  const { t } = useTranslation()
  const { folds, stays } = plan
  return (
    <div className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4">
      <h2 className="font-serif text-[1.2rem] font-semibold">{t('mailRules.fold.title')}</h2>
      {folds.length === 0 ? (
        <p className="mt-2">{t('mailRules.fold.nothing')}</p>
      ) : (
        <Said plan={plan} name={name} />
      )}
      {folds.length > 0 && (
        <Listed title={t('mailRules.fold.goes', { count: folds.length })}>
          {folds.map(({ id, name: rule, patterns, made }) => (
            <Line key={id} note={made < patterns.length ? t('mailRules.fold.covered') : ''}>
              {rule !== patterns[0] && `${rule}: `}
              <span className="font-mono text-[0.94em]">{patterns.join(', ')}</span>
            </Line>
          ))}
        </Listed>
      )}
      {stays.length > 0 && (
        <Listed title={t('mailRules.fold.stays', { count: stays.length })}>
          {stays.map(({ id, name: rule, why }) => (
            <Line key={id} note={t(`mailRules.fold.why.${why}`)}>
              <Link
                to={`/mailboxes/${mailboxId}/rules/${id}`}
                className="border-b border-line-strong hover:border-current"
              >
                {rule}
              </Link>
            </Line>
          ))}
        </Listed>
      )}
      {may && folds.length > 0 && <Apply plan={plan} mailboxId={mailboxId} onDone={onDone} />}
    </div>
  )
}

function Apply({
  plan: { folds, entries },
  mailboxId,
  onDone,
}: { plan: FoldPreview } & Pick<Props, 'mailboxId' | 'onDone'>) {
  const { t } = useTranslation()
  const [reason, setReason] = useState('')
  const folding = useFold(mailboxId, onDone)
  return (
    <form
      className="mt-4 grid gap-3 border-t border-line pt-3 pb-6"
      onSubmit={event => {
        event.preventDefault()
        folding.mutate({ rules: folds.map(({ id }) => id), reason })
      }}
    >
      <TextField
        label={t('mailRules.edit.reason')}
        className="max-w-xl"
        value={reason}
        maxLength={1000}
        onChange={({ target }) => setReason(target.value)}
      />
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={folding.isPending}>
          {t('mailRules.fold.do', { count: folds.length, entries })}
        </Button>
        <Button onClick={onDone}>{t('mailRules.edit.cancel')}</Button>
      </p>
    </form>
  )
}

function Said({ plan, name }: { plan: FoldPreview; name: string }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const { folds, entries, looked, of, matched, elsewhere, discards } = plan
  const sentences = [
    t('mailRules.fold.says', {
      count: folds.length,
      entries: t('mailRules.fold.entries', { count: entries }),
      name,
    }),
    t('mailRules.fold.proven', { count: matched, looked: number(looked) }),
    ...(discards > 0 ? [t('mailRules.fold.discards', { count: discards })] : []),
    ...(elsewhere > 0 ? [t('mailRules.fold.elsewhere', { count: elsewhere })] : []),
    ...(looked < of ? [t('mailRules.effect.newest', { looked: number(looked), of: number(of) })] : []),
  ]
  return (
    <p className="mt-2">
      <Sentence text={sentences.join(' ')} />
    </p>
  )
}

function Listed({ title, children }: { title: string; children: ReactNode }) {
  return (
    <>
      <h3 className="mt-4 mb-1 font-bold text-ink-2">{title}</h3>
      <ul className="max-h-64 overflow-y-auto" tabIndex={0} aria-label={title}>
        {children}
      </ul>
    </>
  )
}

function Line({ note, children }: { note: string; children: ReactNode }) {
  return (
    <li className="flex flex-wrap justify-between gap-x-4 border-t border-line py-1">
      <span className="min-w-0 [overflow-wrap:anywhere]">{children}</span>
      <span className="text-[0.92rem] text-ink-2">{note}</span>
    </li>
  )
}

function useFold(mailboxId: number, onDone: () => void) {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoRuling, { params: { id } }),
    notice: () => ({ text: t('mailRules.done.undone') }),
    makes: 'undone-from-afar',
  })
  return useAct({
    send: (given: { rules: number[]; reason: string }) =>
      call(foldRules, { params: { id: mailboxId }, body: { ...given, token: crypto.randomUUID() } }),
    notice: ({ rulingId, rules }) => ({
      text: t('mailRules.fold.done', { count: rules }),
      action: { label: t('mailRules.done.undo'), run: () => undoing.mutate(rulingId) },
    }),
    makes: 'rules-folded',
    onDone,
  })
}
