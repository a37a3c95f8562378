import { useTranslation } from 'react-i18next'
import { useTimes } from '../app/times.ts'
import { SlotPanel } from './sentence-slot.tsx'

/** How long: for good, or until the end of a day. */
export function UntilSlot({
  until,
  onPick,
}: {
  until: string | undefined
  onPick: (until: string | undefined) => void
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const inDays = (days: number) => times.isoDay(new Date(Date.now() + days * 86_400_000))
  const dayText = (day: string) => t('ruling.untilDay', { day: times.day(`${day}T12:00:00`) })
  const options = [
    { value: undefined, text: t('ruling.forGood') },
    ...[7, 31, 92].map(days => ({ value: inDays(days), text: dayText(inDays(days)) })),
  ]
  return (
    <SlotPanel
      label={t('ruling.untilLabel')}
      text={until === undefined ? t('ruling.forGood') : dayText(until)}
    >
      {close => (
        <div className="p-1">
          {options.map(({ value, text }) => (
            <button
              key={value ?? ''}
              type="button"
              onClick={() => {
                onPick(value)
                close()
              }}
              className="block w-full rounded-sm px-3 py-1.5 text-left font-semibold hover:bg-tint focus-visible:bg-tint"
            >
              {text}
            </button>
          ))}
          <label className="mt-1 flex items-center gap-2 border-t border-line px-3 py-2 text-ink-2">
            {t('ruling.untilDate')}
            <input
              type="date"
              min={inDays(0)}
              value={until ?? ''}
              onChange={event => onPick(event.target.value || undefined)}
              className="rounded-sm border border-line-strong bg-sheet px-2 py-1"
            />
          </label>
        </div>
      )}
    </SlotPanel>
  )
}

export function ReasonSlot({ reason, onPick }: { reason: string; onPick: (reason: string) => void }) {
  const { t } = useTranslation()
  return (
    <SlotPanel label={t('ruling.reasonLabel')} text={reason === '' ? t('ruling.noReason') : reason}>
      {close => (
        <form
          className="w-80 p-3"
          onSubmit={event => {
            event.preventDefault()
            onPick(String(new FormData(event.currentTarget).get('reason') ?? '').trim())
            close()
          }}
        >
          <label className="block">
            <span className="mb-1 block text-ink-2">{t('ruling.reasonHelp')}</span>
            <input
              name="reason"
              autoFocus
              defaultValue={reason}
              maxLength={1000}
              className="w-full rounded-sm border border-line-strong bg-sheet px-2 py-1.5"
            />
          </label>
          <div className="mt-2 flex flex-wrap gap-1.5">
            {(['phone', 'counter', 'regular'] as const).map(key => (
              <button
                key={key}
                type="button"
                className="rounded-sm bg-tint px-2 py-0.5"
                onClick={() => {
                  onPick(t(`ruling.reasons.${key}`))
                  close()
                }}
              >
                {t(`ruling.reasons.${key}`)}
              </button>
            ))}
          </div>
        </form>
      )}
    </SlotPanel>
  )
}
