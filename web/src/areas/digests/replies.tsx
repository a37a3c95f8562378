import { queryKeyOf } from '../../app/query-keys.ts'
import { useQuery } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { digestReplies, lookedAtReply, type DigestReply } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { Button } from '../../parts/buttons.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { useAct } from '../../app/use-act.ts'

/** What colleagues answered, and what came of it; first what the rules could not settle. */
export function Replies() {
  const { t } = useTranslation()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('digest', 'replies'),
    queryFn: ({ signal }) => call(digestReplies, { signal }),
  })
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={5} />
  if (data.replies.length === 0)
    return <Empty title={t('digests.noReplies')}>{t('digests.noRepliesText')}</Empty>
  return (
    <ul className="mx-auto max-w-3xl">
      {data.replies.map(reply => (
        <Reply key={reply.id} reply={reply} />
      ))}
    </ul>
  )
}

function Reply({ reply }: { reply: DigestReply }) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  const looking = useAct({
    send: () => call(lookedAtReply, { params: { id: reply.id } }),
    makes: 'digest-changed',
  })
  return (
    <li
      className={clsx(
        'mb-3 rounded-lg border bg-sheet px-4 py-3',
        reply.needsLook ? 'border-amber' : 'border-line',
      )}
    >
      <p className="flex flex-wrap items-baseline gap-x-3">
        <b>
          <ColleagueLink id={reply.mailboxId} name={reply.mailboxName} />
        </b>
        <span className="text-ink-2">{times.full(reply.at)}</span>
        <span className={clsx('ml-auto font-semibold', reply.needsLook ? 'text-amber' : 'text-ink-2')}>
          {t(`digests.reply.${reply.needsLook ? 'look' : reply.outcome}`)}
        </span>
      </p>
      <ul className="mt-1 text-[0.95rem]">
        {reply.fates.map(({ reference, fate, subject }) => (
          <li key={reference}>
            <span className="font-mono">{reference}</span> {subject}{' '}
            <span className="text-ink-2">· {t(`digests.fate.${fate}`)}</span>
          </li>
        ))}
        {reply.slips.map(({ typed, meant }) => (
          <li key={typed}>
            <span className="font-mono">{typed}</span>{' '}
            <span className="text-ink-2">
              · {t(meant === '' ? 'digests.slip' : 'digests.slipMeant', { meant })}
            </span>
          </li>
        ))}
      </ul>
      {reply.needsLook && (
        <>
          <p className="mt-2 max-h-40 overflow-y-auto border-l-2 border-line-strong pl-3 text-[0.95rem] whitespace-pre-wrap text-ink-2">
            {reply.text}
          </p>
          {mayWrite(session) && (
            <Button className="mt-2" disabled={looking.isPending} onClick={() => looking.mutate()}>
              {t('digests.lookedAt')}
            </Button>
          )}
        </>
      )}
    </li>
  )
}
