import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { CalibrationShape } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'

const first = 8

/** What to look at when there are ten minutes. */
export function TeachCard({ messages }: { messages: CalibrationShape['teach'] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const [whole, setWhole] = useState(false)
  const shown = whole ? messages : messages.slice(0, first)
  return (
    <Card title={t('calibration.teach.title')}>
      <p className="mb-2 text-ink-2">
        {t(messages.length === 0 ? 'calibration.teach.none' : 'calibration.teach.text')}
      </p>
      <ul>
        {shown.map(({ id, from, subject, score, receivedAt, colleague, copies }) => (
          <li
            key={id}
            className="grid grid-cols-[2.2rem_minmax(0,1fr)_auto] items-baseline gap-x-3 border-t border-line py-1"
          >
            <b className="text-right tabular-nums">{Math.round(score)}</b>
            <span className="min-w-0">
              <Link to={`/review/${id}`} className="block truncate leading-snug text-petrol hover:underline">
                {subject || '–'}
              </Link>
              <span className="block truncate text-[0.92rem] text-ink-2">
                {from} · {t('calibration.teach.to', { colleague })} · {times.short(receivedAt)}
              </span>
            </span>
            <span className="text-[0.92rem] text-ink-2">
              {copies > 1 ? t('calibration.teach.copies', { count: copies }) : ''}
            </span>
          </li>
        ))}
      </ul>
      {shown.length < messages.length && (
        <Button kind="link" className="mt-2" onClick={() => setWhole(true)}>
          {t('calibration.teach.more', { count: messages.length })}
        </Button>
      )}
    </Card>
  )
}
