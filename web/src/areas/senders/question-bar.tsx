import { queryKeyOf } from '../../app/query-keys.ts'
import { useEffect, useState, type FormEvent, type ReactNode } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { Popover } from 'radix-ui'
import { useTranslation } from 'react-i18next'
import { hasArrived, wouldReach, type ReachAnswer } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useNumbers } from '../../app/times.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { DecisionPath } from '../../parts/decision-path.tsx'
import { giveFocusBack } from '../../parts/focus.ts'
import { MailboxSlot, useMailboxName } from '../../parts/mailbox-slot.tsx'
import { SentenceSlot, SlotPanel } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'

interface Props {
  /** Asked elsewhere: from whom, or '' for nothing yet. */
  readonly from: string
  /** Whom the open entry is for. */
  readonly mailbox: number | undefined
  readonly onAdd: () => void
}

function useReachQuestion(from: string, mailbox: number | undefined, authenticated: 'yes' | 'no') {
  const question = { from, mailbox: mailbox ?? 0, authenticated }
  return useQuery({
    queryKey: queryKeyOf('question', question),
    enabled: from !== '' && mailbox !== undefined,
    queryFn: ({ signal }) => call(wouldReach, { query: question, signal }),
    placeholderData: keepPreviousData,
  })
}

/** "Would mail from … reach …?", answered by the path it would take. */
export function QuestionBar({ from: asked, mailbox: usual, onAdd }: Props) {
  const { t } = useTranslation()
  const session = useSession()
  const [from, setFrom] = useState(asked)
  const [mailbox, setMailbox] = useState(usual)
  const [authenticated, setAuthenticated] = useState<'yes' | 'no'>('yes')
  useEffect(() => setFrom(asked), [asked])
  useEffect(() => {
    if (usual !== undefined) setMailbox(usual)
  }, [usual])
  const { data, error } = useReachQuestion(from, mailbox, authenticated)
  const name = useMailboxName(mailbox) ?? ''
  return (
    <footer
      aria-label={t('senders.question.label')}
      data-testid="question"
      className="flex items-end gap-5 border-t-2 border-petrol bg-raised px-5 py-3"
    >
      <div className="min-w-0 flex-1 text-[1.1rem] leading-[1.95rem]">
        <Sentence
          text={t(from === '' || mailbox === undefined ? 'senders.question.ask' : 'senders.question.asked')}
          slots={{
            from: <SenderSlot from={from} onPick={setFrom} />,
            mailbox: (
              <MailboxSlot mailbox={mailbox} onPick={setMailbox} nobody={t('senders.question.whom')} />
            ),
            authenticated: (
              <SentenceSlot
                label={t('senders.question.authenticatedLabel')}
                text={t(`senders.question.authenticated.${authenticated}`)}
                value={authenticated}
                options={(['yes', 'no'] as const).map(value => ({
                  value,
                  text: t(`senders.question.authenticated.${value}`),
                }))}
                onPick={setAuthenticated}
              />
            ),
          }}
        />{' '}
        <span aria-live="polite">
          {error ? (
            <span className="text-stop">{problemOf(error).text}</span>
          ) : (
            data && from !== '' && mailbox !== undefined && <Answer answer={data} name={name} />
          )}
        </span>
      </div>
      {mayWrite(session) && (
        <Button kind="main" className="shrink-0 text-[1.05rem]" onClick={onAdd}>
          {t('senders.add')} <KeyCap>A</KeyCap>
        </Button>
      )}
    </footer>
  )
}

function SenderSlot({ from, onPick }: { from: string; onPick: (from: string) => void }): ReactNode {
  const { t } = useTranslation()
  return (
    <SlotPanel
      label={t('senders.question.fromLabel')}
      text={from === '' ? t('senders.question.who') : from}
      mono={from !== ''}
    >
      {close => (
        <form
          className="w-80 p-3"
          onSubmit={(event: FormEvent<HTMLFormElement>) => {
            event.preventDefault()
            onPick(String(new FormData(event.currentTarget).get('from') ?? '').trim())
            close()
          }}
        >
          <label className="block">
            <span className="mb-1 block text-ink-2">{t('senders.question.fromHelp')}</span>
            <input
              name="from"
              autoFocus
              defaultValue={from}
              maxLength={400}
              placeholder="anna@x.example"
              className="w-full rounded-sm border border-line-strong bg-sheet px-2 py-1.5 font-mono"
            />
          </label>
        </form>
      )}
    </SlotPanel>
  )
}

/** Yes or no, what decided, what was assumed; the whole path on demand. */
function Answer({ answer, name }: { answer: ReachAnswer; name: string }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const arrives = hasArrived(answer.state)
  const decided = answer.path.find(({ outcome }) => outcome === 'decided')
  const entry = decided?.decided
  const why =
    entry && answer.decidedBy !== 'watching'
      ? t(entry.mailboxId === null ? 'senders.question.byOrganisation' : 'senders.question.byColleague', {
          name: entry.keptBy,
          pattern: entry.pattern,
          standing: t(`standing.${entry.standing}`),
        })
      : t(`senders.question.by.${answer.decidedBy}`, { score: number(answer.score), name })
  return (
    <>
      <b className={arrives ? 'text-wanted' : 'text-stop'}>{t(`senders.question.state.${answer.state}`)}</b>
      <span className="text-ink-2">
        {' '}
        <Sentence
          text={[
            why,
            ...(answer.decidedBy === 'score' ? [t(`senders.question.scoreFrom.${answer.scoreFrom}`)] : []),
            ...(answer.authenticated &&
            answer.seen.messages > 0 &&
            answer.seen.authenticated < answer.seen.messages
              ? [
                  t('senders.question.seen', {
                    part: number(answer.seen.authenticated),
                    total: number(answer.seen.messages),
                  }),
                ]
              : []),
            ...(answer.overruled.length > 0
              ? [
                  t('senders.question.overruled', {
                    entries: answer.overruled.map(({ pattern }) => pattern).join(', '),
                    count: answer.overruled.length,
                  }),
                ]
              : []),
          ].join(' ')}
        />{' '}
      </span>
      <PathOnDemand path={answer.path} name={name} />
    </>
  )
}

function PathOnDemand({ path, name }: { path: ReachAnswer['path']; name: string }) {
  const { t } = useTranslation()
  return (
    <Popover.Root>
      <Popover.Trigger className="border-b border-current font-semibold text-petrol hover:text-ink">
        {t('senders.question.path')}
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          side="top"
          align="end"
          sideOffset={6}
          collisionPadding={12}
          onCloseAutoFocus={giveFocusBack}
          className="z-40 max-h-[70vh] w-[min(520px,94vw)] overflow-y-auto rounded-md border border-line-strong bg-raised p-3 text-ink shadow-[0_6px_24px_rgb(30_42_48/.16)]"
        >
          <DecisionPath path={path} name={name} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  )
}
