import { useState } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { automaticReply, previewReply, type AutomaticReplyShape } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { Button } from '../../parts/buttons.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'

interface Props {
  readonly mailboxId: number
  readonly reply: AutomaticReplyShape
  readonly language: 'en' | 'nb' | 'de' | 'pl'
}

const readers = ['other', 'colleague'] as const

/** The very message that somebody would get. */
export function ReplyPreview({ mailboxId, reply, language }: Props) {
  const { t } = useTranslation()
  const [to, setTo] = useState<(typeof readers)[number] | null>(null)
  const asked = useDelayed({ reply, to, language }, 250)
  const isWhole = automaticReply.safeParse(asked.reply).success
  const { data, error } = useQuery({
    queryKey: queryKeyOf('mailbox', mailboxId, 'reply', asked),
    enabled: asked.to !== null && isWhole,
    queryFn: ({ signal }) =>
      call(previewReply, {
        params: { id: mailboxId },
        body: { reply: asked.reply, to: asked.to ?? 'other', language: asked.language },
        signal,
      }),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  })
  return (
    <section className="mt-3">
      <p className="flex flex-wrap gap-x-5">
        {readers.map(one => (
          <Button
            key={one}
            kind="link"
            aria-pressed={to === one}
            onClick={() => setTo(to === one ? null : one)}
          >
            {t(`mailboxes.reply.preview.${one}`)}
          </Button>
        ))}
      </p>
      {to !== null && (
        <div aria-live="polite" className="mt-2 rounded-md border border-line bg-raised px-3 py-2">
          {error ? (
            <p className="text-stop">{problemOf(error).text}</p>
          ) : !data?.message ? (
            <p className="text-ink-2">{t('mailboxes.reply.preview.none')}</p>
          ) : (
            <>
              <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 text-[0.92rem] text-ink-2">
                {data.message.headers.map(({ name, value }) => (
                  <div key={name} className="contents">
                    <dt>{name}</dt>
                    <dd className="[overflow-wrap:anywhere]">{value}</dd>
                  </div>
                ))}
              </dl>
              <p className="mt-2 whitespace-pre-wrap">{data.message.text.trim()}</p>
            </>
          )}
        </div>
      )}
    </section>
  )
}
