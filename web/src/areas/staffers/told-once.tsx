import { useTranslation } from 'react-i18next'
import { useNotices } from '../../app/notices.ts'
import { Button } from '../../parts/buttons.tsx'
import { inputStyle } from '../../parts/field.tsx'

/** A secret that is shown now and never again, to be copied. */
export function ToldOnce({ what, value, copied }: { what: string; value: string; copied: string }) {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  return (
    <div className="mt-3 border-t border-line pt-3" role="status">
      <p>{what}</p>
      <p className="mt-1 flex items-center gap-2">
        <input
          readOnly
          value={value}
          aria-label={what}
          onFocus={({ target }) => target.select()}
          className={`${inputStyle} min-w-0 font-mono text-[0.85rem]`}
        />
        <Button
          onClick={() => {
            void navigator.clipboard.writeText(value).then(() => show({ tone: 'done', text: copied }))
          }}
        >
          {t('staffers.invite.copy')}
        </Button>
      </p>
    </div>
  )
}
