import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { useSteps } from './use-steps.ts'

/** While steps are left, how many; put away, nothing. */
export function StepsBanner() {
  const { t } = useTranslation()
  const { data } = useSteps()
  const left = data?.steps.filter(({ state }) => state === 'open').length ?? 0
  if (!data || data.closed || left === 0) return null
  return (
    <p className="mb-3 rounded-lg border border-line bg-sheet px-4 py-2.5">
      {t('steps.banner', { count: left })}{' '}
      <Link to="/organisation/steps" className="border-b border-current font-semibold text-petrol">
        {t('steps.go')}
      </Link>
    </p>
  )
}
