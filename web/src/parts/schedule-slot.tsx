import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { setDigestSchedule, type DigestScheduleShape } from '@pendro/contract'
import { call } from '../app/api.ts'
import { useZone } from '../app/times.ts'
import { useAct } from '../app/use-act.ts'
import { Button } from './buttons.tsx'
import { ScheduleFields } from './schedule-fields.tsx'
import { SlotPanel } from './sentence-slot.tsx'
import { listFormat } from '../app/formats.ts'

/** A mailbox and when it gets its digests. */
interface Scheduled {
  readonly mailbox: { readonly id: number }
  readonly schedule: DigestScheduleShape & { readonly usual: boolean }
  /** In which its times are. */
  readonly timeZone: string
}

/** When a mailbox gets its digests, in words that open to be changed. */
export function ScheduleSlot({ data, disabled }: { data: Scheduled; disabled: boolean }) {
  const { t } = useTranslation()
  const text = useScheduleText()(data.schedule, data.timeZone)
  return (
    <SlotPanel label={t('digests.scheduleLabel')} text={text} disabled={disabled}>
      {close => <Editor data={data} onDone={close} />}
    </SlotPanel>
  )
}

function useScheduleText(): (schedule: DigestScheduleShape, timeZone: string) => string {
  const { t, i18n } = useTranslation()
  const shownIn = useZone(state => state.zone)
  const list = listFormat(i18n.language, 'conjunction')
  return ({ times, weekdays }, timeZone) => {
    if (times.length === 0 || weekdays.length === 0) return t('digests.noDigests')
    const days =
      weekdays.length === 7
        ? t('digests.everyDay')
        : weekdays.join() === '1,2,3,4,5'
          ? t('digests.workingDays')
          : list.format(weekdays.map(day => t(`digests.weekday.${day}`)))
    const text = t('digests.scheduleText', { times: list.format(times), days })
    // A colleague elsewhere gets digests by their own clock; the other times on the screen are the organisation's.
    return timeZone === shownIn ? text : t('digests.scheduleElsewhere', { text, zone: timeZone })
  }
}

function Editor({ data, onDone }: { data: Scheduled; onDone: () => void }) {
  const { t } = useTranslation()
  const [schedule, setSchedule] = useState<DigestScheduleShape>({
    times: data.schedule.times,
    weekdays: data.schedule.weekdays,
  })
  const saving = useAct({
    send: (next: DigestScheduleShape | null) =>
      call(setDigestSchedule, { params: { id: data.mailbox.id }, body: { schedule: next } }),
    makes: 'digest-changed',
    onDone,
  })
  return (
    <div className="grid w-96 gap-3 p-3">
      <ScheduleFields
        schedule={schedule}
        onChange={setSchedule}
        texts={{
          times: t('digests.timesLabel', { zone: data.timeZone }),
          time: n => t('digests.timeLabel', { n }),
          removeTime: time => t('digests.removeTime', { time }),
          addTime: t('digests.addTime'),
          days: t('digests.daysLabel'),
        }}
      />
      {schedule.times.length === 0 && <p className="text-[0.92rem] text-ink-2">{t('digests.offHint')}</p>}
      <p className="flex flex-wrap gap-2">
        <Button
          kind="main"
          disabled={saving.isPending || schedule.times.includes('')}
          onClick={() => saving.mutate(schedule)}
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
