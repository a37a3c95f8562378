import { useQuery } from '@tanstack/react-query'
import { memo, useState, type ReactNode } from 'react'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import {
  applyRuling,
  moveMail,
  undoStoreMove,
  digestLanguage,
  previewRulesChange,
  readAccount,
  suggestMailRule,
  tryAgain,
  undoRuling,
  type DeliveryState,
  type RulingSentence,
  type WhereHit,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { madeText } from '../../parts/made-text.ts'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Journey } from './journey.tsx'

/** One message that may be meant: what it is, its way, and what can be done. */
export const HitCard = memo(function HitCard({
  hit,
  onChoose,
  children,
}: {
  hit: WhereHit
  /** Stands between what it is and its way. */
  children?: ReactNode
  /** Notes it as the message of the open enquiry; `null` while none is open. */
  onChoose: (() => void) | null
}) {
  const { t } = useTranslation()
  return (
    <article
      aria-label={hit.subject || t('whereabouts.refusedSubject')}
      tabIndex={-1}
      className="rounded-lg border-2 border-petrol bg-sheet px-4 py-3"
    >
      <header className="flex items-baseline gap-4">
        <div className="flex min-w-0 flex-1 flex-wrap items-baseline gap-x-3">
          <h2 className="min-w-0 font-bold break-words">{hit.subject || t('whereabouts.refusedSubject')}</h2>
          <span className="min-w-0 text-ink-2">
            {hit.fromName} <span className="font-mono text-[0.92em] break-all">{hit.fromAddress}</span>
            <Recipient hit={hit} />
          </span>
        </div>
        <span className="shrink-0 text-ink-2">
          {hit.kind === 'outbound' ? t('whereabouts.outbound') : t(`whereabouts.label.${hit.label}`)}
        </span>
      </header>
      {children}
      <Journey stops={hit.journey} from={hit.fromAddress} />
      {hit.kind === 'delivery' && <Foot hit={hit} onChoose={onChoose} />}
    </article>
  )
})

/** What can be done about it. */
function Foot({ hit, onChoose }: { hit: WhereHit; onChoose: (() => void) | null }) {
  const { t } = useTranslation()
  const session = useSession()
  return (
    <footer className="mt-3 flex flex-wrap items-center gap-2.5">
      {mayWrite(session) && <Acts hit={hit} />}
      {mayWrite(session) && <ToInbox hit={hit} />}
      {onChoose && <Button onClick={onChoose}>{t('whereabouts.act.chosen')}</Button>}
      <Link
        to={`/review/${hit.id}`}
        className="rounded-md border border-line-strong bg-raised px-3.5 py-1.5 font-semibold hover:border-petrol"
      >
        {t('whereabouts.act.review')}
      </Link>
      <Link to={`/whereabouts/account/${hit.id}`} className="border-b border-current text-petrol">
        {t('whereabouts.act.account')}
      </Link>
      {mayWrite(session) && (
        <Link
          to={`/mailboxes/${hit.mailboxId}/rules/new?like=${hit.id}`}
          className="border-b border-current text-petrol"
        >
          {t('mailRules.slot.make')}
        </Link>
      )}
      <Tell hit={hit} />
    </footer>
  )
}

const sentence = (more: Partial<RulingSentence>): RulingSentence => ({
  message: 'leave',
  learn: 'nothing',
  sender: 'as-is',
  width: 'address',
  for: 'colleague',
  withoutAuthentication: false,
  reason: '',
  ...more,
})

/** Ruling on a hit and trying it again; what either makes stale is read anew. */
function useHitActs(hit: WhereHit) {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoRuling, { params: { id } }),
    notice: ({ stayedReleased }) => ({
      text: stayedReleased > 0 ? t('ruling.undoneBut', { count: stayedReleased }) : t('ruling.undone'),
    }),
    makes: 'ruled-from-whereabouts',
  })
  const ruling = useAct({
    send: (given: Partial<RulingSentence>) =>
      call(applyRuling, {
        body: { deliveries: [hit.id], sentence: sentence(given), token: crypto.randomUUID() },
      }),
    notice: (ruled, given) => ({
      text: [t(`ruling.done.${given.message ?? 'leave'}`, { count: 1 }), ...madeText(ruled, t)].join(' '),
      action: { label: t('ruling.undo'), run: () => undoing.mutate(ruled.id) },
    }),
    makes: 'ruled-from-whereabouts',
  })
  const again = useAct({
    send: () => call(tryAgain, { params: { id: hit.id } }),
    notice: () => ({ text: t('whereabouts.act.triedAgain') }),
    makes: 'ruled-from-whereabouts',
  })
  return { ruling, again }
}

function Acts({ hit }: { hit: WhereHit }) {
  const { t } = useTranslation()
  const { ruling, again } = useHitActs(hit)
  // The store has it in the inbox, whatever a rule said: there is nothing to bring.
  if (isInInbox(hit) && (hit.state === 'aside' || hit.state === 'moved')) return null
  switch (hit.state) {
    case 'quarantined':
    case 'junk':
    case 'bounced':
    case 'aside':
    case 'moved':
      return <Release hit={hit} disabled={ruling.isPending} onRelease={ruling.mutate} />
    case 'deferred':
      return (
        <Button kind="main" data-main disabled={again.isPending} onClick={() => again.mutate()}>
          {t('whereabouts.act.again')}
        </Button>
      )
    case 'discarded':
      return (
        <Button
          kind="main"
          data-main
          disabled={ruling.isPending}
          onClick={() => ruling.mutate({ message: 'restore' })}
        >
          {t('whereabouts.act.restore')}
        </Button>
      )
    case 'sealed':
      return <span className="font-semibold text-stop">{t('whereabouts.sealed')}</span>
    default:
      return null
  }
}

/** As its mail store has it, and not only as it was put there. */
function isInInbox({ journey }: WhereHit): boolean {
  const here = journey.find(({ stage }) => stage === 'here')
  return here?.kind === 'found-in' && here.facts.place === 'inbox'
}

/** In another folder of the mailbox than the inbox, which a mail program put it into; `null` where it is not. */
function folderOf({ journey }: WhereHit): string | null {
  const here = journey.find(({ stage }) => stage === 'here')
  const isElsewhere =
    here !== undefined && ['moved-by-program', 'moved-by-desk', 'found-in'].includes(here.kind)
  return isElsewhere && here.facts.place !== 'inbox' ? String(here.facts.folder) : null
}

/** Moves to the inbox, at the mail store, what was moved elsewhere after it had arrived. */
function ToInbox({ hit }: { hit: WhereHit }) {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (move: number) => call(undoStoreMove, { params: { id: move } }),
    notice: () => ({ text: t('whereabouts.act.movingBack') }),
    makes: 'mail-moved',
  })
  const moving = useAct({
    send: (from: string) =>
      call(moveMail, {
        params: { id: hit.mailboxId ?? 0 },
        body: { from, to: 'INBOX', deliveries: [hit.id], reason: '', token: crypto.randomUUID() },
      }),
    notice: ({ move }) => ({
      text: t('whereabouts.act.moving'),
      action: { label: t('ruling.undo'), run: () => undoing.mutate(move) },
    }),
    makes: 'mail-moved',
  })
  const folder = folderOf(hit)
  // What was kept back is released: that moves it, too, and says what to learn.
  if (folder === null || ['junk', 'aside', 'moved'].includes(hit.state ?? '')) return null
  return (
    <Button kind="main" data-main disabled={moving.isPending} onClick={() => moving.mutate(folder)}>
      {t('whereabouts.act.putBack')}
    </Button>
  )
}

const releaseWords: Partial<Record<DeliveryState, string>> = {
  junk: 'deliver',
  aside: 'toInbox',
  moved: 'toInbox',
}

/** Where the store shows its copy, that one is moved. */
function releaseWord({ state, journey }: WhereHit): string {
  const word = releaseWords[state ?? 'quarantined'] ?? 'release'
  const isSeen = journey.find(({ stage }) => stage === 'here')?.facts.read !== undefined
  return word === 'toInbox' && isSeen ? 'bringIn' : word
}

/** What is to become of mail like it: nothing new, a safe entry, or, for what was put elsewhere, a rule for the inbox. */
type Next = 'as-is' | 'safe' | 'inbox'

const given = (next: Next): Partial<RulingSentence> => ({
  message: 'release',
  learn: 'wanted',
  ...(next === 'inbox' ? { place: 'inbox' } : { sender: next }),
})

/** Releases a message, and says what is to become of the next ones like it. */
function Release({
  hit,
  disabled,
  onRelease,
}: {
  hit: WhereHit
  disabled: boolean
  onRelease: (given: Partial<RulingSentence>) => void
}) {
  const { t } = useTranslation()
  const [next, setNext] = useState<Next>('as-is')
  const isElsewhere = hit.state === 'aside' || hit.state === 'moved'
  const choices: readonly Next[] = isElsewhere ? ['as-is', 'inbox', 'safe'] : ['as-is', 'safe']
  return (
    <>
      <Button kind="main" data-main disabled={disabled} onClick={() => onRelease(given(next))}>
        {t(`whereabouts.act.${releaseWord(hit)}`, { name: hit.to })}
      </Button>
      <span className="text-ink-2">
        {t('whereabouts.act.future')}{' '}
        <SentenceSlot
          label={t('whereabouts.act.futureLabel')}
          text={t(`whereabouts.act.sender.${next}`, { name: hit.to })}
          tone={next === 'as-is' ? 'plain' : 'safe'}
          value={next}
          options={choices.map(value => ({
            value,
            text: t(`whereabouts.act.sender.${value}`, { name: hit.to }),
            ...(isElsewhere && value !== 'as-is' ? { hint: t(`whereabouts.act.senderHint.${value}`) } : {}),
          }))}
          onPick={setNext}
        />
      </span>
      {next === 'inbox' && <KeptSo hit={hit} />}
    </>
  )
}

/** What the rule would have done to the mail of the last 30 days, before it is made. */
function KeptSo({ hit: { id, mailboxId } }: { hit: WhereHit }) {
  const { t, i18n } = useTranslation()
  const { data } = useQuery({
    queryKey: queryKeyOf('mail-rule', 'like', id),
    enabled: mailboxId !== null,
    queryFn: async ({ signal }) => {
      const { name, conditions } = await call(suggestMailRule, { params: { id }, signal })
      const action = { hold: null, place: { kind: 'inbox' as const }, important: false, stop: false }
      const draft = { name: name || '–', needs: 'all' as const, conditions, action }
      const effect = await call(previewRulesChange, {
        body: { mailbox: mailboxId, change: { act: 'add', draft, at: 0 } },
        signal,
      })
      return { draft, changed: effect.changed }
    },
  })
  if (!data) return <span className="w-full text-ink-2">{t('mailRules.working')}</span>
  return (
    <span className="w-full text-ink-2">
      {t('whereabouts.act.makesRule', { rule: ruleSentence(data.draft, t, i18n.language) })}{' '}
      {t('whereabouts.act.ruleWould', { count: data.changed })}
    </span>
  )
}

/** A few plain sentences for the colleague, in their language, on the clipboard. */
function Tell({ hit }: { hit: WhereHit }) {
  const { t } = useTranslation()
  const telling = useAct({
    send: async () => {
      const { explanations } = await call(readAccount, { params: { id: hit.id } })
      const text = explanations[digestLanguage.safeParse(hit.mailboxLanguage).data ?? 'en'] ?? ''
      await navigator.clipboard.writeText(text)
      return text
    },
    notice: text => ({ text: t('whereabouts.act.told', { name: hit.to, text }) }),
  })
  return (
    <Button kind="link" disabled={telling.isPending} onClick={() => telling.mutate()}>
      {t('whereabouts.act.tell')}
    </Button>
  )
}

/** To whom it went; a colleague's name leads to their mailbox. */
function Recipient({ hit: { to, mailboxId } }: { hit: WhereHit }) {
  const { t } = useTranslation()
  if (to === '') return null
  return (
    <>
      {' '}
      <Sentence
        text={t('whereabouts.to', { to: '[[to]]' })}
        slots={{ to: mailboxId === null ? to : <ColleagueLink id={mailboxId} name={to} /> }}
      />
    </>
  )
}
