import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { HistoryRunShape } from '@pendro/contract'
import { useTimes } from '../../../app/times.ts'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { TextField } from '../../../parts/field.tsx'
import { useMailboxName } from '../../../parts/mailbox-slot.tsx'
import { useRunActs } from './use-history.ts'

/** What has been learned from, how far it is, and its undo. */
export function RunsCard({ runs, may }: { runs: readonly HistoryRunShape[]; may: boolean }) {
  const { t } = useTranslation()
  return (
    <Card title={t('learning.runs.title')}>
      {runs.length === 0 && <p className="text-ink-2">{t('learning.runs.none')}</p>}
      <ul className="divide-y divide-line">
        {runs.map(run => (
          <Run key={run.id} run={run} may={may} />
        ))}
      </ul>
    </Card>
  )
}

function Run({ run, may }: { run: HistoryRunShape; may: boolean }) {
  const { t } = useTranslation()
  const times = useTimes()
  const name = useMailboxName(run.mailbox)
  const share = Math.floor(run.share * 100)
  const isBad = run.state === 'failed' || run.state === 'interrupted'
  return (
    <li className="py-2 first:pt-0">
      <p className="flex flex-wrap items-baseline justify-between gap-x-4">
        <b>{t('learning.runs.of', { name: name ?? '…', verdict: t(`learning.verdict.${run.verdict}`) })}</b>
        <span className="text-ink-2">
          {run.by}, {times.short(run.at)}
        </span>
      </p>
      <p className="font-mono text-[0.92em] break-all text-ink-2">{run.name}</p>
      <p className={isBad ? 'text-stop' : ''}>
        {t(`learning.runs.state.${run.state}`, { share })}
        {run.problem !== '' && <>. {t(`learning.problem.${run.problem}`)}</>}
      </p>
      {run.state === 'learning' && (
        <div
          role="progressbar"
          aria-label={run.name}
          aria-valuenow={share}
          className="my-1 h-2 overflow-hidden rounded-sm bg-tint"
        >
          <div className="h-full bg-petrol" style={{ width: `${share}%` }} />
        </div>
      )}
      <p className="text-ink-2">
        {t('learning.runs.taken', { count: run.taken })}
        {run.leftOut > 0 && <>, {t('learning.runs.leftOut', { count: run.leftOut })}</>}
      </p>
      {may && <Acts run={run} />}
    </li>
  )
}

function Acts({ run: { id, state, kind } }: { run: HistoryRunShape }) {
  const { t } = useTranslation()
  const { stop, resume, undo } = useRunActs()
  const [password, typePassword] = useState('')
  const mayResume = state === 'stopped' || state === 'failed' || state === 'interrupted'
  const mayUndo = state !== 'undoing' && state !== 'undone'
  return (
    <div className="mt-1 flex flex-wrap items-end gap-x-4 gap-y-1">
      {state === 'learning' && (
        <Button kind="link" onClick={() => stop.mutate(id)}>
          {t('learning.runs.stop')}
        </Button>
      )}
      {mayResume && kind === 'imap' && (
        <TextField
          label={t('learning.imap.password')}
          type="password"
          autoComplete="off"
          value={password}
          onChange={({ target }) => typePassword(target.value)}
        />
      )}
      {mayResume && (
        <Button kind="link" onClick={() => resume.mutate({ id, password })}>
          {t('learning.runs.resume')}
        </Button>
      )}
      {mayUndo && (
        <Button kind="link" onClick={() => undo.mutate(id)}>
          {t('learning.runs.undo')}
        </Button>
      )}
    </div>
  )
}
