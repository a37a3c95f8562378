import { useTranslation } from 'react-i18next'
import type { Tried } from './use-stores.ts'

/** What was tried at a store, step by step: what works, and who has to do what about the rest. */
export function StoreSteps({ steps }: { steps: Tried }) {
  const { t } = useTranslation()
  return (
    <ul className="mt-2" aria-live="polite">
      {steps.map(({ step, works, at, trouble, detail }, i) => (
        <li key={i} className={`py-0.5 ${works ? '' : step === 'aside' ? 'text-ink-2' : 'text-stop'}`}>
          <span className="font-semibold">{t(`stores.try.step.${step}`)}</span>{' '}
          {works
            ? t('stores.try.works', { at })
            : step === 'junk' || step === 'aside'
              ? t(`stores.try.missing.${step}`, { at })
              : t(`stores.trouble.${trouble || 'refused'}`)}
          {!works && detail !== '' && <span className="block text-ink-2">“{detail}”</span>}
        </li>
      ))}
    </ul>
  )
}
