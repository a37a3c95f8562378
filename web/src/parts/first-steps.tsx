import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { useSteps } from '../app/use-steps.ts'

/** While a new installation is not set up whole: how many steps are left, and the way to them. Else nothing. */
export function FirstSteps({ className }: { className?: string }) {
  const { t } = useTranslation()
  const { data } = useSteps()
  const left = data?.steps.filter(({ state }) => state === 'open').length ?? 0
  if (!data || data.closed || left === 0) return null
  return (
    <p className={className}>
      {t('firstSteps.left', { count: left })}{' '}
      <Link to="/organisation/steps" className="border-b border-current font-semibold text-petrol">
        {t('firstSteps.go')}
      </Link>
    </p>
  )
}
