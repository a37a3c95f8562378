import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import type { DigestScheduleShape } from '@pendro/contract'
import { Button } from './buttons.tsx'
import { Checkbox } from './checkbox.tsx'
import { dateFormat } from '../app/formats.ts'

const week = [1, 2, 3, 4, 5, 6, 7] as const
const mostTimes = 6

interface ScheduleProps {
  readonly schedule: DigestScheduleShape
  readonly texts: {
    readonly times: string
    readonly time: (n: number) => string
    readonly removeTime: (time: string) => string
    readonly addTime: string
    readonly days: string
  }
  readonly onChange: (schedule: DigestScheduleShape) => void
}

/** Times of day and weekdays, as a staffer or the colleague sets them; `texts` are the words of that screen. */
export function ScheduleFields(props: ScheduleProps) {
  return (
    <>
      <Times {...props} />
      <Weekdays {...props} />
    </>
  )
}

function Times({ schedule: { times, weekdays }, texts, onChange }: ScheduleProps) {
  const setTimes = (next: string[]) => onChange({ times: next, weekdays })
  return (
    <fieldset>
      <legend className="mb-1 text-ink-2">{texts.times}</legend>
      <ul className="flex flex-wrap gap-2">
        {times.map((time, i) => (
          <li key={i} className="flex items-center gap-1">
            <input
              type="time"
              value={time}
              aria-label={texts.time(i + 1)}
              onChange={event => setTimes(times.map((other, at) => (at === i ? event.target.value : other)))}
              className="rounded-sm border border-line-strong bg-raised px-2 py-1"
            />
            <button
              type="button"
              aria-label={texts.removeTime(time)}
              onClick={() => setTimes(times.filter((_, at) => at !== i))}
              className="grid size-8 place-items-center text-ink-2 hover:text-ink"
            >
              <X aria-hidden className="size-4" />
            </button>
          </li>
        ))}
        {times.length < mostTimes && (
          <li>
            <Button onClick={() => setTimes([...times, '15:00'])}>{texts.addTime}</Button>
          </li>
        )}
      </ul>
    </fieldset>
  )
}

function Weekdays({ schedule: { times, weekdays }, texts, onChange }: ScheduleProps) {
  const { i18n } = useTranslation()
  // 5 January 2026 was a Monday.
  const dayName = (day: number) =>
    dateFormat(i18n.language, { weekday: 'long', timeZone: 'UTC' }).format(Date.UTC(2026, 0, 4 + day))
  return (
    <fieldset className="flex flex-wrap gap-x-4 gap-y-1">
      <legend className="mb-1 text-ink-2">{texts.days}</legend>
      {week.map(day => (
        <label key={day} className="flex min-h-8 items-center gap-1.5">
          <Checkbox
            checked={weekdays.includes(day)}
            label={dayName(day)}
            onChange={on =>
              onChange({
                times,
                weekdays: week.filter(one => (one === day ? on : weekdays.includes(one))),
              })
            }
          />
          {dayName(day)}
        </label>
      ))}
    </fieldset>
  )
}
