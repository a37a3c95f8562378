import { useTranslation } from 'react-i18next'
import type { MailRuleDraft, RulesDifferShape, StoreScriptShape } from '@pendro/contract'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { ScriptDifference } from './script-difference.tsx'

type OneScript = StoreScriptShape['scripts'][number]

/** What stands at the store: where somebody has changed it, what that comes to; else the scripts, for whoever asks. */
export function StoreScripts({ data: { state, scripts, differ } }: { data: StoreScriptShape }) {
  const { t } = useTranslation()
  if (state === 'waiting' || state === 'out') return null
  if (state === 'changed') return <Changed scripts={scripts} differ={differ} />
  return (
    <details className="mt-4">
      <summary className="cursor-pointer font-semibold text-petrol">{t('atStore.show')}</summary>
      {scripts.map(({ name, there }) => (
        <div key={name} className="mt-2">
          <h3 className="font-semibold">{t('atStore.script', { name })}</h3>
          <pre className="overflow-x-auto rounded-md border border-line bg-raised px-3 py-2 text-[0.88rem] whitespace-pre-wrap">
            {there}
          </pre>
        </div>
      ))}
    </details>
  )
}

interface ChangedProps {
  readonly scripts: readonly OneScript[]
  readonly differ: RulesDifferShape | null
}

/** In rules first, as people read them. Line by line is open at once only where the rules do not tell it. */
function Changed({ scripts, differ }: ChangedProps) {
  const { t } = useTranslation()
  const rules = scripts.find(({ name }) => name.endsWith('rules'))
  const tells = differ !== null && (differ.isReordered || differ.there.length + differ.here.length > 0)
  return (
    <section className="mt-4">
      <h3 className="font-bold text-ink-2">{t('atStore.difference')}</h3>
      {differ !== null && <Differ differ={differ} />}
      {differ === null && typeof rules?.there === 'string' && rules.there !== rules.here && (
        <p>{t('atStore.differ.unread')}</p>
      )}
      <details className="mt-3" open={!tells}>
        <summary className="cursor-pointer font-semibold text-petrol">{t('atStore.differ.lines')}</summary>
        <p className="mt-1 text-ink-2">{t('atStore.legend')}</p>
        {scripts.map(script => (
          <Lines key={script.name} script={script} />
        ))}
      </details>
    </section>
  )
}

function Differ({ differ: { there, here, isReordered, left } }: { differ: RulesDifferShape }) {
  const { t } = useTranslation()
  const isSame = there.length + here.length + left.length === 0 && !isReordered
  if (isSame) return <p>{t('atStore.differ.none')}</p>
  return (
    <>
      <Rules title={t('atStore.differ.there')} rules={there} />
      <Rules title={t('atStore.differ.here')} rules={here} />
      {isReordered && <p className="mt-2">{t('atStore.differ.order')}</p>}
      {left.length > 0 && (
        <>
          <h4 className="mt-2 font-semibold">{t('atStore.differ.left')}</h4>
          <ul>
            {left.map(({ line, why, text }, i) => (
              <li key={i} className="border-t border-line py-1">
                <span className="text-ink-2">{t('mailRules.sieve.line', { line })}</span>{' '}
                {t(why === 'edited' ? 'atStore.differ.edited' : `mailRules.sieve.why.${why}`, { text })}
              </li>
            ))}
          </ul>
        </>
      )}
    </>
  )
}

function Rules({ title, rules }: { title: string; rules: readonly MailRuleDraft[] }) {
  const { t, i18n } = useTranslation()
  if (rules.length === 0) return null
  return (
    <>
      <h4 className="mt-2 font-semibold">{title}</h4>
      <ul>
        {rules.map((rule, i) => (
          <li key={i} className="border-t border-line py-1">
            <b>{rule.name}</b> {ruleSentence(rule, t, i18n.language)}
          </li>
        ))}
      </ul>
    </>
  )
}

function Lines({ script: { name, here, there } }: { script: OneScript }) {
  const { t } = useTranslation()
  if (there === here) return <p className="mt-2 text-ink-2">{t('atStore.same', { name })}</p>
  return (
    <div className="mt-2">
      <h4 className="font-semibold">{t('atStore.script', { name })}</h4>
      {there === null ? <p>{t('atStore.gone')}</p> : <ScriptDifference there={there} here={here} />}
    </div>
  )
}
