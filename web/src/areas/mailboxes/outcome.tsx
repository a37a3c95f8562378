import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { DirectoryAnswer, DirectoryOutcome, DirectoryProblemShape } from '@pendro/contract'

/** What is wrong with a line, as a sentence. */
export const problemText = ({ code, ...facts }: DirectoryProblemShape, t: TFunction): string =>
  t(`directory.outcome.problem.${code}`, facts)

/** What lines come to: the numbers, who would be closed, and each line that is not as it was. */
export function Outcome({ outcome }: { outcome: DirectoryOutcome }) {
  const { t } = useTranslation()
  const { answers, closing, close, unknown, elsewhere, of } = outcome
  const counts = (['add', 'change', 'reopen', 'wrong', 'same'] as const).filter(fate => outcome[fate] > 0)
  const told = answers.filter(({ fate }) => fate !== 'same')
  const isNothing = outcome.add + outcome.change + outcome.reopen + outcome.wrong + close === 0
  return (
    <section aria-label={t('directory.outcome.title')} className="mt-3 border-t border-line pt-3">
      {isNothing && <p className="font-semibold">{t('directory.outcome.none')}</p>}
      {counts.map(fate => (
        <p key={fate} className={fate === 'wrong' ? 'font-semibold text-stop' : ''}>
          {t(`directory.outcome.${fate}`, { count: outcome[fate] })}
        </p>
      ))}
      {close > 0 && (
        <p className="font-semibold text-amber">
          {t('directory.outcome.close', { count: close })} {closing.join(', ')}
          {close > closing.length && ' …'}
        </p>
      )}
      {elsewhere > 0 && <p>{t('directory.outcome.elsewhere', { count: elsewhere })}</p>}
      {unknown.length > 0 && (
        <p className="text-ink-2">{t('directory.outcome.unknown', { names: unknown.join(', ') })}</p>
      )}
      {told.length > 0 && <Lines answers={told} />}
      {answers.length < of && (
        <p className="mt-1 text-ink-2">{t('directory.outcome.more', { shown: answers.length, of })}</p>
      )}
    </section>
  )
}

function Lines({ answers }: { answers: readonly DirectoryAnswer[] }) {
  const { t } = useTranslation()
  return (
    <div className="mt-2 max-h-96 overflow-y-auto rounded-md border border-line" tabIndex={0}>
      <table className="w-full text-left text-[0.95rem]">
        <thead className="sticky top-0 bg-sheet">
          <tr>
            {(['line', 'address', 'what'] as const).map(column => (
              <th key={column} scope="col" className="px-3 py-1.5 font-semibold whitespace-nowrap">
                {t(`directory.outcome.${column}`)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {answers.map(({ line, address, fate, fields, problem }) => (
            <tr key={line} className="border-t border-line align-baseline">
              <td className="px-3 py-1">{line}</td>
              <td className="px-3 py-1 font-mono text-[0.88rem] wrap-anywhere">{address}</td>
              <td className={`px-3 py-1 ${problem ? 'text-stop' : ''}`}>
                {problem
                  ? problemText(problem, t)
                  : [
                      t(`directory.outcome.fate.${fate}`),
                      fields.map(field => t(`directory.outcome.field.${field}`)).join(', '),
                    ]
                      .filter(Boolean)
                      .join(': ')}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  )
}
