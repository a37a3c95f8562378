import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { useLocation } from 'react-router'
import { longestSieve, readSieveScript, type SieveReading } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { FormProblem } from '../../parts/field.tsx'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { useRulesChange, type Owner } from './use-rules.ts'

/** Rules from a Sieve script: read first, with a line for each thing that can't be taken, and added when that is seen. */
export function BringInRules({ owner, onDone }: { owner: Owner; onDone: () => void }) {
  const { t } = useTranslation()
  // What somebody wrote at the mail store comes with the way here.
  const { state } = useLocation() as { state: { script?: unknown } | null }
  const [script, setScript] = useState(typeof state?.script === 'string' ? state.script : '')
  const [read, setRead] = useState<SieveReading | null>(null)
  const reading = useAct({
    send: () => call(readSieveScript, { body: { script } }),
    onDone: setRead,
    quiet: true,
  })
  const write = (text: string) => {
    setScript(text)
    setRead(null)
    reading.reset()
  }
  return (
    <div className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4">
      <h2 className="font-serif text-[1.2rem] font-semibold">{t('mailRules.sieve.title')}</h2>
      <p className="mt-1 text-ink-2">{t('mailRules.sieve.text')}</p>
      <ScriptForm
        script={script}
        isRead={read !== null}
        isReading={reading.isPending}
        onWrite={write}
        onRead={() => reading.mutate()}
        onCancel={onDone}
      />
      <div aria-live="polite" className="mt-3">
        {reading.error && <FormProblem>{problemOf(reading.error).text}</FormProblem>}
        {read && <Found owner={owner} read={read} onDone={onDone} />}
      </div>
    </div>
  )
}

interface FormProps {
  readonly script: string
  readonly isRead: boolean
  readonly isReading: boolean
  readonly onWrite: (script: string) => void
  readonly onRead: () => void
  readonly onCancel: () => void
}

function ScriptForm({ script, isRead, isReading, onWrite, onRead, onCancel }: FormProps) {
  const { t } = useTranslation()
  return (
    <form
      className="mt-3 grid gap-3"
      onSubmit={event => {
        event.preventDefault()
        onRead()
      }}
    >
      <textarea
        value={script}
        rows={10}
        spellCheck={false}
        aria-label={t('mailRules.sieve.label')}
        placeholder={t('mailRules.sieve.placeholder')}
        maxLength={longestSieve}
        onChange={({ target }) => onWrite(target.value)}
        className="w-full rounded-md border border-line-strong bg-raised px-3 py-2 font-mono text-[0.92rem]"
      />
      <p className="flex flex-wrap items-center gap-3">
        <Button kind={isRead ? 'plain' : 'main'} type="submit" disabled={script.trim() === '' || isReading}>
          {t('mailRules.sieve.read')}
        </Button>
        <label className="inline-flex cursor-pointer items-center border-b border-current font-semibold text-petrol has-[input:focus-visible]:outline-2">
          {t('mailRules.sieve.file')}
          <input
            type="file"
            accept=".sieve,.siv,.txt,application/sieve,text/plain"
            className="sr-only"
            onChange={({ target }) =>
              void target.files?.[0]
                ?.slice(0, longestSieve * 2)
                .text()
                .then(onWrite)
            }
          />
        </label>
        <Button onClick={onCancel}>{t('mailRules.edit.cancel')}</Button>
      </p>
    </form>
  )
}

function Found({ owner, read, onDone }: { owner: Owner; read: SieveReading; onDone: () => void }) {
  const { t, i18n } = useTranslation()
  const { rules, left } = read
  const adding = useRulesChange(owner, onDone)
  return (
    <>
      <h3 className="mb-1 font-bold text-ink-2">{t('mailRules.sieve.found', { count: rules.length })}</h3>
      <ol className="mb-3">
        {rules.map((rule, i) => (
          <li key={i} className="border-t border-line py-1">
            <b>{rule.name}</b> {ruleSentence(rule, t, i18n.language)}
          </li>
        ))}
      </ol>
      {left.length > 0 && (
        <>
          <h3 className="mb-1 font-bold text-ink-2">{t('mailRules.sieve.left')}</h3>
          <ul className="mb-3">
            {left.map(({ line, why, text }, i) => (
              <li key={i} className="border-t border-line py-1">
                <span className="text-ink-2">{t('mailRules.sieve.line', { line })}</span>{' '}
                {t(`mailRules.sieve.why.${why}`, { text })}
              </li>
            ))}
          </ul>
        </>
      )}
      {rules.length > 0 && (
        <Button
          kind="main"
          disabled={adding.isPending}
          onClick={() => adding.mutate({ change: { act: 'bring-in', drafts: rules } })}
        >
          {t('mailRules.sieve.add', { count: rules.length })}
        </Button>
      )}
    </>
  )
}
