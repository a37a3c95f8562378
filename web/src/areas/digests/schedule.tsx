import { useState } from 'react'
import { useMutation, useQueryClient } from '@tanstack/react-query'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { setDigestSchedule, type DigestPreview, type DigestScheduleShape } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { SlotPanel } from '../../parts/sentence-slot.tsx'

const week = [1, 2, 3, 4, 5, 6, 7] as const

/** When a mailbox gets its digests, in words that open to be changed. */
export function ScheduleSlot({ data, disabled }: { data: DigestPreview; disabled: boolean }) {
  const { t } = useTranslation()
  const text = useScheduleText()(data.schedule)
  return (
    <SlotPanel label={t('digests.scheduleLabel')} text={text} disabled={disabled}>
      {close => <Editor data={data} onDone={close} />}
    </SlotPanel>
  )
}

export function useScheduleText(): (schedule: DigestScheduleShape) => string {
  const { t, i18n } = useTranslation()
  const list = new Intl.ListFormat(i18n.language, { type: 'conjunction' })
  return ({ times, weekdays }) => {
    if (times.length === 0 || weekdays.length === 0) return t('digests.noDigests')
    const days =
      weekdays.length === 7
        ? t('digests.everyDay')
        : weekdays.join() === '1,2,3,4,5'
          ? t('digests.workingDays')
          : list.format(weekdays.map(day => t(`digests.weekday.${day}`)))
    return t('digests.scheduleText', { times: list.format(times), days })
  }
}

function Editor({ data, onDone }: { data: DigestPreview; onDone: () => void }) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const show = useNotices(state => state.show)
  const [times, setTimes] = useState<readonly string[]>(data.schedule.times)
  const [weekdays, setWeekdays] = useState<readonly number[]>(data.schedule.weekdays)
  const saving = useMutation({
    mutationFn: (schedule: DigestScheduleShape | null) =>
      call(setDigestSchedule, { params: { id: data.mailbox.id }, body: { schedule } }),
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ['digest'] })
      onDone()
    },
    onError: error => show({ tone: 'problem', text: problemOf(error).text }),
  })
  return (
    <div className="grid w-96 gap-3 p-3">
      <fieldset>
        <legend className="mb-1 text-ink-2">{t('digests.timesLabel', { zone: data.timeZone })}</legend>
        <ul className="flex flex-wrap gap-2">
          {times.map((time, i) => (
            <li key={i} className="flex items-center gap-1">
              <input
                type="time"
                value={time}
                aria-label={t('digests.timeLabel', { n: i + 1 })}
                onChange={event =>
                  setTimes(times.map((other, at) => (at === i ? event.target.value : other)))
                }
                className="rounded-sm border border-line-strong bg-sheet px-2 py-1"
              />
              <button
                type="button"
                aria-label={t('digests.removeTime', { time })}
                onClick={() => setTimes(times.filter((_, at) => at !== i))}
                className="grid size-6 place-items-center text-ink-2 hover:text-ink"
              >
                <X className="size-4" />
              </button>
            </li>
          ))}
          {times.length < 6 && (
            <li>
              <Button onClick={() => setTimes([...times, '15:00'])}>{t('digests.addTime')}</Button>
            </li>
          )}
        </ul>
        {times.length === 0 && <p className="mt-1 text-[0.92rem] text-ink-2">{t('digests.offHint')}</p>}
      </fieldset>
      <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
        <legend className="mb-1 text-ink-2">{t('digests.daysLabel')}</legend>
        {week.map(day => (
          <label key={day} className="flex items-center gap-1.5">
            <Checkbox
              checked={weekdays.includes(day)}
              label={t(`digests.weekday.${day}`)}
              onChange={on => setWeekdays(on ? [...weekdays, day].sort() : weekdays.filter(d => d !== day))}
            />
            {t(`digests.weekday.${day}`)}
          </label>
        ))}
      </fieldset>
      <p className="flex flex-wrap gap-2">
        <Button
          kind="main"
          disabled={saving.isPending || times.includes('')}
          onClick={() => saving.mutate({ times: [...times], weekdays: [...weekdays] })}
        >
          {t('digests.saveSchedule')}
        </Button>
        {!data.schedule.usual && (
          <Button disabled={saving.isPending} onClick={() => saving.mutate(null)}>
            {t('digests.asUsual')}
          </Button>
        )}
      </p>
    </div>
  )
}
