import { useState, type FormEvent, type ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { Link, useLocation } from 'react-router'
import { clsx } from 'clsx'
import {
  isAgainstEvidence,
  type DeliverySheet,
  type ReviewRow,
  type RulingSentence,
  type SelectionSummary,
} from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { ReasonSlot, UntilSlot } from '../../parts/entry-slots.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot, SlotPanel, type SlotOption } from '../../parts/sentence-slot.tsx'
import { Consequences } from './consequences.tsx'
import { choicesForAll, forAll, isIdle, messageChoices, useRuling, withSender } from './ruling-store.ts'
import { SelectionProgressBar } from './selection-progress.tsx'

interface Props {
  readonly sheet: DeliverySheet
  readonly targets: readonly ReviewRow[]
  readonly busy: boolean
  readonly onApply: () => void
  readonly onUndo: (() => void) | null
}

/** The ruling as one sentence with slots, what follows from it, and the key that applies it. */
export function RulingBar({ sheet, targets, busy, onApply, onUndo }: Props) {
  const { t } = useTranslation()
  const session = useSession()
  const { sentence } = useRuling()
  const { against, needsReason } = useAgainst(targets)
  const interruptedBy = useRuling(state => state.interruptedBy)
  const selection = useRuling(state => state.selection)
  const refused = busy || isIdle(sentence) || (targets.length === 0 && selection === null)
  if (!mayWrite(session)) {
    return (
      <footer
        className="border-t-2 border-line-strong bg-raised px-6 py-4 text-ink-2"
        data-testid="ruling-bar"
      >
        {t('ruling.observer')}
      </footer>
    )
  }
  return (
    <footer
      data-pane="ruling"
      tabIndex={-1}
      className={clsx(
        'flex max-h-[45vh] items-end gap-5 overflow-y-auto border-t-2 bg-raised px-5 py-2.5 outline-offset-[-3px] max-[639px]:flex-col max-[639px]:items-stretch',
        against ? 'border-stop' : 'border-petrol',
      )}
      data-testid="ruling-bar"
      aria-label={t('ruling.label')}
    >
      <div className="min-w-0 flex-1">
        <SelectionProgressBar />
        {interruptedBy !== '' && (
          <p role="status" className="font-semibold text-amber">
            {t('ruling.interrupted', { by: interruptedBy })}
          </p>
        )}
        <div className="text-[1.1rem] leading-[1.95rem]">
          <RulingSentenceText sheet={sheet} targets={targets} />
        </div>
        {against && (
          <p role="alert" className="text-[0.95rem] font-semibold text-stop">
            {t(targets.length === 1 ? `ruling.against.${sheet.pointsWhy}` : 'ruling.againstSome')}{' '}
            {needsReason && t('ruling.againstReason')}
          </p>
        )}
        <Consequences sheet={sheet} targets={targets} sentence={sentence} />
      </div>
      <ApplyAndUndo refused={refused} onApply={onApply} onUndo={onUndo} />
    </footer>
  )
}

function ApplyAndUndo({
  refused,
  onApply,
  onUndo,
}: Pick<Props, 'onApply' | 'onUndo'> & { refused: boolean }) {
  const { t } = useTranslation()
  return (
    <div className="flex shrink-0 flex-col items-end gap-2">
      <Button kind="main" disabled={refused} onClick={onApply} className="text-[1.05rem]">
        {t('ruling.apply')} <KeyCap>↵</KeyCap>
      </Button>
      <button
        type="button"
        disabled={!onUndo}
        onClick={() => onUndo?.()}
        className="flex items-center gap-1.5 text-[0.92rem] text-ink-2 disabled:opacity-60"
      >
        <KeyCap>U</KeyCap> {t('ruling.undoLast')}
      </button>
    </div>
  )
}

/** Whether the sentence lets in what the evidence speaks against, and how to ask why. */
export function useAgainst(targets: readonly ReviewRow[]): {
  against: boolean
  needsReason: boolean
  askReason: () => void
} {
  const { sentence, selection } = useRuling()
  const against =
    selection === null
      ? targets.some(({ points }) => isAgainstEvidence(sentence.message, points))
      : sentence.message === 'release' && selection.against > 0
  return {
    against,
    needsReason: against && sentence.reason === '',
    askReason: () => document.querySelector<HTMLElement>('[data-reason] button')?.click(),
  }
}

function RulingSentenceText({ sheet, targets }: { sheet: DeliverySheet; targets: readonly ReviewRow[] }) {
  const { t } = useTranslation()
  const { sentence, change, selection } = useRuling()
  const session = useSession()
  const { against } = useAgainst(targets)
  const { sender } = sentence
  const slots: Record<string, ReactNode> = {
    message: (
      <SentenceSlot
        label={t('ruling.messageLabel')}
        text={t(`ruling.message.${sentence.message}`)}
        tone={against ? 'blocked' : 'plain'}
        value={sentence.message}
        options={(selection ? choicesForAll(selection) : messageChoices(sheet.row.state)).map(value => ({
          value,
          text: t(`ruling.message.${value}`),
          hint: t(`ruling.messageHint.${value}`),
        }))}
        onPick={message => change({ message })}
      />
    ),
    what: <TargetSlot sheet={sheet} targets={targets} />,
    learn: <LearnSlot />,
    sender: (
      <SentenceSlot
        label={t('ruling.senderLabel')}
        text={t(`ruling.sender.${sender}`)}
        tone={sender === 'as-is' ? 'plain' : sender}
        value={sender}
        options={(['as-is', 'safe', 'blocked'] as const).map(value => ({
          value,
          text: t(`ruling.sender.${value}`),
          hint: t(`ruling.senderHint.${value}`),
        }))}
        onPick={value => change(withSender(value, selection ?? targets, session))}
      />
    ),
    pattern: <PatternSlot sheet={sheet} targets={targets} />,
    for: <ForSlot targets={targets} />,
    until: <UntilSlot until={sentence.until} onPick={until => change({ until })} />,
    reason: (
      <span data-reason>
        <ReasonSlot reason={sentence.reason} onPick={reason => change({ reason })} />
      </span>
    ),
  }
  return <Sentence text={t(sender === 'as-is' ? 'ruling.sentenceAsIs' : 'ruling.sentence')} slots={slots} />
}

/** "this message to Ingrid", or all of the cluster, or what is marked. */
function TargetSlot({ sheet, targets }: { sheet: DeliverySheet; targets: readonly ReviewRow[] }) {
  const { t } = useTranslation()
  const { marks, scope, setScope, selection } = useRuling()
  const one = t('ruling.thisTo', { name: sheet.row.mailboxName })
  if (selection !== null) return <SelectionSlot selection={selection} />
  if (marks.size > 0) return <MarksSlot />
  const inCluster = targets.length > 1 ? targets.length : null
  return (
    <SentenceSlot
      label={t('ruling.targetLabel')}
      text={scope === 'cluster' && inCluster ? t('ruling.wholeCluster', { count: inCluster }) : one}
      value={scope}
      options={[
        { value: 'one', text: one },
        { value: 'cluster', text: t('ruling.sameText'), hint: t('ruling.sameTextHint') },
      ]}
      onPick={setScope}
    />
  )
}

/** Everything that was shown at a moment: what is in it, and how to let go of it. */
function SelectionSlot({ selection }: { selection: SelectionSummary }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const selectAll = useRuling(state => state.selectAll)
  const { deliveries, colleagues, senders, can, madeAt, against } = selection
  const facts = {
    count: deliveries,
    shown: number(deliveries),
    time: times.clock(madeAt),
    colleagues: number(colleagues),
    senders: number(senders),
  }
  return (
    <SlotPanel label={t('ruling.targetLabel')} text={t('ruling.all.text', facts)}>
      {close => (
        <div className="grid w-[min(420px,90vw)] gap-2 p-3">
          <p>{t('ruling.all.what', facts)}</p>
          {deliveries > can.release && (
            <p className="text-ink-2">
              {t('ruling.all.notReleasable', {
                count: deliveries - can.release,
                shown: number(deliveries - can.release),
              })}
            </p>
          )}
          {against > 0 && (
            <p className="text-stop">{t('ruling.all.against', { count: against, shown: number(against) })}</p>
          )}
          <p>
            <Button
              onClick={() => {
                selectAll(null)
                close()
              }}
            >
              {t('ruling.unmark')}
            </Button>
          </p>
        </div>
      )}
    </SlotPanel>
  )
}

/** What is marked, one by one: to be looked at, or taken off. */
function MarksSlot() {
  const { t } = useTranslation()
  const { search } = useLocation()
  const { marks, mark, keepsMarks, keepMarks } = useRuling()
  const rows = [...marks.values()]
  return (
    <SlotPanel label={t('ruling.targetLabel')} text={t('ruling.marked', { count: marks.size })}>
      {close => (
        <div className="w-[min(440px,90vw)] p-1">
          <ul className="max-h-72 overflow-y-auto">
            {rows.slice(0, 200).map(row => (
              <li key={row.id} className="flex items-baseline gap-2 px-2 py-1">
                <Link
                  to={`/review/${row.id}${search}`}
                  onClick={close}
                  className="min-w-0 flex-1 truncate hover:underline"
                >
                  <b>{row.fromName || row.fromAddress || t('review.noSender')}</b>{' '}
                  {row.subject || t('review.noSubject')}{' '}
                  <span className="text-ink-2">{t('review.to', { name: row.mailboxName })}</span>
                </Link>
                <Button kind="link" onClick={() => mark([row], false)}>
                  {t('ruling.takeOff')}
                </Button>
              </li>
            ))}
          </ul>
          {rows.length > 200 && (
            <p className="px-2 py-1 text-ink-2">{t('ruling.moreMarks', { count: rows.length - 200 })}</p>
          )}
          <div className="mt-1 flex flex-wrap items-center justify-between gap-3 border-t border-line px-2 py-2">
            <label className="flex items-center gap-2">
              <Checkbox checked={keepsMarks} label={t('ruling.keepMarks')} onChange={keepMarks} />
              {t('ruling.keepMarks')}
            </label>
            <Button
              kind="link"
              onClick={() => {
                mark(rows, false)
                close()
              }}
            >
              {t('ruling.unmark')}
            </Button>
          </div>
        </div>
      )}
    </SlotPanel>
  )
}

function LearnSlot() {
  const { t } = useTranslation()
  const { sentence, change } = useRuling()
  return (
    <SentenceSlot
      label={t('ruling.learnLabel')}
      text={t(`ruling.learn.${sentence.learn}`)}
      value={sentence.learn}
      options={(['wanted', 'junk', 'phishing', 'nothing'] as const).map(value => ({
        value,
        text: t(`ruling.learn.${value}`),
      }))}
      onPick={learn => change({ learn })}
    />
  )
}

function PatternSlot({ sheet, targets }: { sheet: DeliverySheet; targets: readonly ReviewRow[] }) {
  const { t } = useTranslation()
  const { sentence, change, selection } = useRuling()
  const [typed, setTyped] = useState('')
  const senders = selection?.senders ?? new Set(targets.map(row => row.fromAddress)).size
  const several = senders > 1
  const domain = sheet.fromDomain
  const texts = {
    address: several ? t('ruling.theirAddresses') : sheet.row.fromAddress,
    domain: several ? t('ruling.theirDomains') : domain,
    subtree: several ? t('ruling.theirSubtrees') : `*.${domain}`,
    list: several ? t('ruling.theirLists') : `<${sheet.listId}>`,
  }
  const widths = (['address', 'domain', 'subtree', 'list'] as const).filter(
    width => width !== 'list' || sheet.listId !== '',
  )
  const text = sentence.pattern ?? texts[sentence.width]
  return (
    <SlotPanel label={t('ruling.patternLabel')} text={text} mono={!several || sentence.pattern !== undefined}>
      {close => {
        const submit = (event: FormEvent) => {
          event.preventDefault()
          if (typed.trim() === '') return
          change({ pattern: typed.trim() })
          close()
        }
        return (
          <div className="p-1">
            {widths.map(width => (
              <button
                key={width}
                type="button"
                onClick={() => {
                  change({ width })
                  close()
                }}
                className="block w-full rounded-sm px-3 py-1.5 text-left hover:bg-tint focus-visible:bg-tint"
              >
                <span className="block font-mono font-semibold">{texts[width]}</span>
                <span className="block text-[0.9em] text-ink-2">{t(`ruling.width.${width}`)}</span>
              </button>
            ))}
            <form onSubmit={submit} className="mt-1 border-t border-line p-2">
              <label className="block text-[0.92em]">
                <span className="mb-1 block text-ink-2">{t('ruling.typePattern')}</span>
                <input
                  value={typed}
                  onChange={event => setTyped(event.target.value)}
                  placeholder="*.x.example"
                  className="w-full rounded-sm border border-line-strong bg-sheet px-2 py-1 font-mono"
                />
              </label>
            </form>
          </div>
        )
      }}
    </SlotPanel>
  )
}

function ForSlot({ targets }: { targets: readonly ReviewRow[] }) {
  const { t } = useTranslation()
  const { staffer } = useSession()
  const { sentence, change, selection } = useRuling()
  const names = [...new Set(targets.map(row => row.mailboxName))]
  const count = selection?.colleagues ?? names.length
  const own =
    selection === null && names.length === 1 ? (names[0] ?? '') : t('ruling.theseColleagues', { count })
  const all = forAll({ staffer })
  const options: readonly SlotOption<RulingSentence['for']>[] = [
    { value: 'colleague', text: own, hint: t('ruling.forHint.colleague', { count }) },
    { value: all, text: t(`ruling.forAll.${all}`), hint: t(`ruling.forHint.${all}`) },
  ]
  return (
    <SentenceSlot
      label={t('ruling.forLabel')}
      text={sentence.for === 'colleague' ? own : t(`ruling.forAll.${sentence.for}`)}
      value={sentence.for}
      options={options}
      onPick={value => change({ for: value })}
    />
  )
}
