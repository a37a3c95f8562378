import { useTranslation } from 'react-i18next'
import { X } from 'lucide-react'

/** What a list is narrowed to by a text, and the way back to all of it. */
export function FindChip({ find, onClear }: { find: string; onClear: () => void }) {
  const { t } = useTranslation()
  return (
    <button
      type="button"
      onClick={onClear}
      className="ml-2 inline-flex items-center gap-1 rounded-sm bg-amber-tint px-2 font-semibold text-amber"
    >
      {t('review.finding', { find })}
      <X aria-label={t('review.findNothing')} className="size-4" />
    </button>
  )
}
