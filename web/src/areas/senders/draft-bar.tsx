import { queryKeyOf } from '../../app/query-keys.ts'
import { useState, type FormEvent } from 'react'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { applyChange, previewChange, sendersIn } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useKeys } from '../../app/keys.ts'
import { useSession, maySteer } from '../../app/session.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { ReasonSlot, UntilSlot } from '../../parts/entry-slots.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { ReachView } from '../../parts/reach.tsx'
import { SentenceSlot, SlotPanel } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { mostAtOnce, patternsOf, useDraft, wantedChange, type Act } from './draft-store.ts'
import { useListActs } from './use-senders.ts'

const daysChoices = [7, 30, 90] as const

/** The change as it is now, and what it would have done; asked a moment after the last word was changed. */
function useDraftReach(act: Act, days: number) {
  const { draft } = useDraft()
  const wanted = wantedChange(act, draft)
  const asked = useDelayed(wanted && { ...wanted, days }, 150)
  const reach = useQuery({
    queryKey: queryKeyOf('reach', 'draft', asked),
    enabled: asked !== null,
    queryFn: ({ signal }) => call(previewChange, { body: asked ?? {}, signal }),
    placeholderData: keepPreviousData,
  })
  return { wanted, reach }
}

/** What would be added, changed or ended, as one sentence with its reach, and the key that applies it. */
export function DraftBar({ act }: { act: Act }) {
  const { t } = useTranslation()
  const { reason, cancel } = useDraft()
  const { busy, run } = useListActs()
  const [days, setDays] = useState<number>(30)
  const { wanted, reach } = useDraftReach(act, days)
  const ready = wanted !== null && !busy && !reach.error && reach.data?.refusal !== 'blocks-own-domain'
  const apply = () => {
    if (wanted === null || !ready) return
    run(() => call(applyChange, { body: { ...wanted, reason, token: crypto.randomUUID() } }))
  }
  useKeys({ Enter: apply, Escape: cancel })
  return (
    <footer
      data-pane="draft"
      tabIndex={-1}
      aria-label={t('senders.draft.label')}
      data-testid="draft"
      className="outline-offset-[-3px] flex items-end gap-5 border-t-2 border-petrol bg-raised px-5 py-3"
    >
      <div className="min-w-0 flex-1">
        <div className="text-[1.1rem] leading-[1.95rem]">
          <DraftSentence act={act} />
        </div>
        <Consequences act={act} days={days} isEmpty={wanted === null} reach={reach} />
      </div>
      <Apply ready={ready} onApply={apply} days={days} onDays={setDays} />
    </footer>
  )
}

function DraftSentence({ act }: { act: Act }) {
  const { t } = useTranslation()
  const { draft, reason, write, because } = useDraft()
  return (
    <Sentence
      text={t(`senders.draft.${act.kind}`, {
        count: act.kind === 'end' ? act.entries.length : 1,
        pattern: act.kind === 'end' ? (act.entries[0]?.pattern ?? '') : 'of' in act ? act.of.pattern : '',
      })}
      slots={{
        pattern: <PatternSlot pattern={draft.pattern} onPick={pattern => write({ pattern })} />,
        standing: (
          <SentenceSlot
            label={t('senders.draft.standingLabel')}
            text={t(`standing.${draft.standing}`)}
            tone={draft.standing}
            value={draft.standing}
            options={(['safe', 'blocked'] as const).map(value => ({
              value,
              text: t(`standing.${value}`),
              hint: t(`senders.draft.standingHint.${value}`),
            }))}
            onPick={standing => write({ standing })}
          />
        ),
        owner: <OwnerSlot />,
        conditions: <ConditionsSlot />,
        until: (
          <UntilSlot until={draft.until ?? undefined} onPick={until => write({ until: until ?? null })} />
        ),
        reason: <ReasonSlot reason={reason} onPick={because} />,
      }}
    />
  )
}

interface ConsequencesProps {
  readonly act: Act
  readonly days: number
  /** Nothing is typed yet that could be asked about. */
  readonly isEmpty: boolean
  readonly reach: ReturnType<typeof useDraftReach>['reach']
}

function Consequences({ act, days, isEmpty, reach: { data, error, isFetching } }: ConsequencesProps) {
  const { t } = useTranslation()
  const { draft, write } = useDraft()
  const tooMany = patternsOf(draft.pattern).length > mostAtOnce
  return (
    <div className="mt-1 min-h-10 text-[0.95rem] text-ink-2" aria-live="polite" data-testid="consequences">
      {error ? (
        <p role="alert" className="text-stop">
          {problemOf(error).text}
        </p>
      ) : isEmpty ? (
        <p>{tooMany ? t('senders.draft.tooMany', { most: mostAtOnce }) : t('senders.draft.empty')}</p>
      ) : data ? (
        <ReachView
          reach={data}
          fading={isFetching}
          onTake={act.kind === 'end' ? undefined : pattern => write({ pattern })}
        />
      ) : (
        <p>{t('reach.counting', { days })}</p>
      )}
    </div>
  )
}

interface ApplyProps {
  readonly ready: boolean
  readonly onApply: () => void
  readonly days: number
  readonly onDays: (days: number) => void
}

function Apply({ ready, onApply, days, onDays }: ApplyProps) {
  const { t } = useTranslation()
  const { cancel } = useDraft()
  return (
    <div className="flex shrink-0 flex-col items-end gap-2">
      <Button kind="main" disabled={!ready} onClick={onApply} className="text-[1.05rem]">
        {t('ruling.apply')} <KeyCap>↵</KeyCap>
      </Button>
      <span className="flex items-center gap-3 text-[0.92rem] text-ink-2">
        <SentenceSlot
          label={t('senders.draft.daysLabel')}
          text={t('senders.draft.days', { count: days })}
          value={String(days)}
          options={daysChoices.map(count => ({
            value: String(count),
            text: t('senders.draft.days', { count }),
          }))}
          onPick={value => onDays(Number(value))}
        />
        <button type="button" onClick={cancel} className="flex items-center gap-1.5 whitespace-nowrap">
          <KeyCap>Esc</KeyCap> {t('senders.draft.cancel')}
        </button>
      </span>
    </div>
  )
}

function PatternSlot({ pattern, onPick }: { pattern: string; onPick: (pattern: string) => void }) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(pattern === '')
  const several = patternsOf(pattern)
  return (
    <SlotPanel
      label={t('senders.draft.patternLabel')}
      text={
        several.length > 1
          ? t('senders.draft.patterns', { first: several[0], count: several.length - 1 })
          : pattern === ''
            ? t('senders.draft.patternEmpty')
            : pattern
      }
      mono={pattern !== ''}
      open={open}
      onOpenChange={setOpen}
    >
      {() => (
        <form
          className="w-96 p-3"
          onSubmit={(event: FormEvent<HTMLFormElement>) => {
            event.preventDefault()
            onPick(sendersIn(String(new FormData(event.currentTarget).get('pattern') ?? '')).join('\n'))
            setOpen(false)
          }}
        >
          <label className="block">
            <span className="mb-1 block">{t('senders.draft.patternHelp')}</span>
            <textarea
              name="pattern"
              autoFocus
              rows={1}
              defaultValue={pattern}
              maxLength={100_000}
              onKeyDown={event => {
                if (event.key !== 'Enter' || event.shiftKey) return
                event.preventDefault()
                event.currentTarget.form?.requestSubmit()
              }}
              className="field-sizing-content max-h-64 w-full rounded-sm border border-line-strong bg-sheet px-2 py-1.5 font-mono"
            />
          </label>
          <p className="mt-1 text-[0.92rem] text-ink-2">{t('senders.draft.several')}</p>
          <dl className="mt-2 grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 text-[0.92rem] text-ink-2">
            {(['address', 'domain', 'subtree', 'list'] as const).map(kind => (
              <PatternHelp key={kind} kind={kind} />
            ))}
          </dl>
        </form>
      )}
    </SlotPanel>
  )
}

const examples = {
  address: 'anna@x.example',
  domain: 'x.example',
  subtree: '*.x.example',
  list: '<list-id>',
} as const

function PatternHelp({ kind }: { kind: keyof typeof examples }) {
  const { t } = useTranslation()
  return (
    <>
      <dt className="font-mono">{examples[kind]}</dt>
      <dd>{t(`ruling.width.${kind}`)}</dd>
    </>
  )
}

function OwnerSlot() {
  const { t } = useTranslation()
  const isSteward = maySteer(useSession())
  const { draft, write } = useDraft()
  return (
    <>
      <SentenceSlot
        label={t('senders.draft.ownerLabel')}
        text={t(draft.mailboxId === null ? 'senders.draft.everybody' : 'senders.draft.colleague')}
        value={draft.mailboxId === null ? 'everybody' : 'colleague'}
        options={[
          {
            value: 'everybody',
            text: t('senders.draft.everybody'),
            hint: t(isSteward ? 'ruling.forHint.everyone' : 'ruling.forHint.steward'),
            disabled: !isSteward,
          },
          { value: 'colleague', text: t('senders.draft.colleague'), hint: t('ruling.forHint.colleague') },
        ]}
        onPick={value => write({ mailboxId: value === 'everybody' ? null : 0 })}
      />
      {draft.mailboxId !== null && (
        <>
          {' '}
          <MailboxSlot
            mailbox={draft.mailboxId === 0 ? undefined : draft.mailboxId}
            onPick={id => write({ mailboxId: id ?? 0 })}
            nobody={t('senders.draft.whom')}
            label={t('senders.draft.whomLabel')}
          />
        </>
      )}
    </>
  )
}

/** What else has to hold: of a safe entry that the sender is proven, of the organisation's that it binds. */
function ConditionsSlot() {
  const { t } = useTranslation()
  const { draft, write } = useDraft()
  const binds = draft.mailboxId === null && (draft.binding ?? draft.standing === 'blocked')
  const options = [
    ...(draft.standing === 'safe'
      ? ([
          ['proven', !draft.withoutAuthentication, () => write({ withoutAuthentication: false })],
          ['unproven', draft.withoutAuthentication, () => write({ withoutAuthentication: true })],
        ] as const)
      : []),
    ...(draft.mailboxId === null
      ? ([
          ['binding', binds, () => write({ binding: true })],
          ['free', !binds, () => write({ binding: false })],
        ] as const)
      : []),
  ]
  if (options.length === 0) return null
  const text = options
    .filter(([, chosen]) => chosen)
    .map(([name]) => t(`senders.draft.condition.${name}`))
    .join(', ')
  return (
    <>
      {' '}
      <SentenceSlot
        label={t('senders.draft.conditionsLabel')}
        text={text}
        value={options.find(([, chosen]) => chosen)?.[0] ?? ''}
        options={options.map(([name, chosen]) => ({
          value: name,
          text: t(`senders.draft.condition.${name}`),
          hint: t(`senders.draft.conditionHint.${name}`) + (chosen ? ` · ${t('senders.draft.chosen')}` : ''),
        }))}
        onPick={name => options.find(([other]) => other === name)?.[2]()}
      />
    </>
  )
}
