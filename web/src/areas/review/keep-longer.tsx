import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { endsByItself, keepUntil, type DeliverySheet } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { SlotPanel } from '../../parts/sentence-slot.tsx'

/** One message kept until a day, whatever its days; taken back in the same place. */
export function KeepLonger({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  if (!endsByItself(sheet.row.state) || !mayWrite(session)) return null
  return (
    <SlotPanel
      label={t('keep.label')}
      text={
        sheet.keptUntil === null
          ? t('keep.longer')
          : t('keep.until', { day: times.day(`${sheet.keptUntil}T12:00:00Z`) })
      }
    >
      {close => <Panel sheet={sheet} onDone={close} />}
    </SlotPanel>
  )
}

function Panel({ sheet, onDone }: { sheet: DeliverySheet; onDone: () => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  const [until, setUntil] = useState(sheet.keptUntil ?? '')
  const [reason, setReason] = useState('')
  const keeping = useAct({
    send: (day: string | null) =>
      call(keepUntil, { params: { id: sheet.row.id }, body: { until: day, reason } }),
    notice: ({ goesAway }) => ({ text: t('keep.done', { day: times.day(goesAway) }) }),
    makes: 'kept',
    onDone,
  })
  return (
    <form
      className="grid w-80 max-w-full gap-3 p-4"
      onSubmit={event => {
        event.preventDefault()
        keeping.mutate(until)
      }}
    >
      <TextField
        label={t('keep.day')}
        help={t('keep.help')}
        type="date"
        required
        min={times.isoDay(new Date())}
        value={until}
        onChange={event => setUntil(event.target.value)}
      />
      <TextField
        label={t('keep.reason')}
        value={reason}
        maxLength={1000}
        onChange={event => setReason(event.target.value)}
      />
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={keeping.isPending || until === ''}>
          {t('keep.button')}
        </Button>
        {sheet.keptUntil !== null && (
          <Button disabled={keeping.isPending} onClick={() => keeping.mutate(null)}>
            {t('keep.noLonger')}
          </Button>
        )}
      </p>
    </form>
  )
}
