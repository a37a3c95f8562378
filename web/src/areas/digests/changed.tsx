import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { DigestPreview } from '@pendro/contract'

/** What was ruled on since the last digest: why a line is gone, or never came. */
export function Changed({ changed }: { changed: DigestPreview['changed'] }) {
  const { t } = useTranslation()
  if (changed.length === 0) return null
  return (
    <section className="mx-auto mt-6 max-w-2xl">
      <h3 className="font-bold text-ink-2">{t('digests.changed')}</h3>
      <ul>
        {changed.map(({ deliveryId, from, subject, state, wasListed, by }) => (
          <li key={deliveryId} className="border-b border-line py-1.5">
            <Link to={`/review/${deliveryId}`} className="border-b border-current text-petrol">
              {subject}
            </Link>{' '}
            {from} · <b>{t(`digests.changedTo.${state}`)}</b>{' '}
            {by === '' ? t('digests.changedByColleague') : t('digests.changedBy', { name: by })}.{' '}
            <span className="text-ink-2">
              {t(`digests.changedLine.${wasListed ? 'listed' : 'unlisted'}`)}
            </span>
          </li>
        ))}
      </ul>
    </section>
  )
}
