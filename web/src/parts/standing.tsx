import { useTranslation } from 'react-i18next'

/** Safe is a filled cup, blocked two bars: shape and word, never colour alone. */
export function StandingMark({ standing }: { standing: 'safe' | 'blocked' }) {
  return (
    <svg
      width="11"
      height="11"
      viewBox="0 0 11 11"
      aria-hidden
      className={standing === 'safe' ? 'fill-wanted' : 'fill-stop'}
    >
      {standing === 'safe' ? (
        <path d="M0 0h11v5a5.5 5.5 0 0 1-5.5 6A5.5 5.5 0 0 1 0 5z" />
      ) : (
        <path d="M0 1h11v3.4H0zM0 6.6h11V10H0z" />
      )}
    </svg>
  )
}

export function Standing({ standing }: { standing: 'safe' | 'blocked' }) {
  const { t } = useTranslation()
  return (
    <span
      className={`inline-flex items-center gap-1.5 font-semibold ${standing === 'safe' ? 'text-wanted' : 'text-stop'}`}
    >
      <StandingMark standing={standing} />
      {t(`standing.${standing}`)}
    </span>
  )
}
