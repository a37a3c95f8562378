import { useTranslation } from 'react-i18next'
import { useNotices } from '../../app/notices.ts'
import { Button } from '../../parts/buttons.tsx'

/** New recovery codes, shown once. */
export function RecoveryCodes({ codes, onKept }: { codes: readonly string[]; onKept: () => void }) {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  return (
    <section aria-label={t('me.recovery.title')} className="mt-4 border-t-2 border-petrol pt-3" role="status">
      <h4 className="font-semibold">{t('me.recovery.title')}</h4>
      <p>
        {t('me.recovery.text')} <b>{t('me.recovery.once')}</b>
      </p>
      <ul className="my-3 grid grid-cols-2 gap-x-6 gap-y-1 font-mono">
        {codes.map(code => (
          <li key={code}>{code}</li>
        ))}
      </ul>
      <p className="flex flex-wrap gap-3">
        <Button kind="main" onClick={onKept}>
          {t('me.recovery.kept')}
        </Button>
        <Button
          onClick={() => {
            void navigator.clipboard
              .writeText(codes.join('\n'))
              .then(() => show({ tone: 'done', text: t('me.recovery.copied') }))
          }}
        >
          {t('me.recovery.copy')}
        </Button>
      </p>
    </section>
  )
}
