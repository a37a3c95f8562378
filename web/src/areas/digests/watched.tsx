import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { DigestPreview } from '@pendro/contract'

/** While mail is only watched: what this digest would have been about. */
export function Watched({ watched: { count, lines } }: { watched: DigestPreview['watched'] }) {
  const { t } = useTranslation()
  if (count === 0) return null
  return (
    <section className="mx-auto mt-6 max-w-2xl">
      <h3 className="font-bold text-ink-2">{t('digests.watched', { count })}</h3>
      <ul>
        {lines.map(({ deliveryId, from, subject, would }) => (
          <li key={deliveryId} className="border-b border-line py-1.5">
            <Link to={`/review/${deliveryId}`} className="border-b border-current text-petrol">
              {subject || '–'}
            </Link>{' '}
            {from} · <span className="text-ink-2">{t(`digests.watchedWould.${would}`)}</span>
          </li>
        ))}
      </ul>
      {lines.length < count && (
        <p className="mt-1 text-ink-2">{t('digests.watchedMore', { count: count - lines.length })}</p>
      )}
    </section>
  )
}
