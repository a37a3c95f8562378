import { useAct } from '../../app/use-act.ts'
import { download } from '../../app/api.ts'
import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate, useParams, useSearchParams } from 'react-router'
import type { MailRuleShape } from '@pendro/contract'
import { mayWrite, useSession, maySteer } from '../../app/session.ts'
import { Boundary } from '../../parts/boundary.tsx'
import { Button } from '../../parts/buttons.tsx'
import { areaLayout } from '../../parts/layout.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { TwoPanes } from '../../parts/two-panes.tsx'
import { AtStoreLine } from '../../parts/at-store-line.tsx'
import { AtStore } from './at-store.tsx'
import { BringInRules } from './bring-in-rules.tsx'
import { CopyRules } from './copy-rules.tsx'
import { emptyDraft } from './draft.ts'
import { FoldRules } from './fold-rules.tsx'
import { RuleEditor } from './rule-editor.tsx'
import { RuleList } from './rule-list.tsx'
import { useRules, useRulesLive, useSuggestion, type Owner } from './use-rules.ts'

const link = 'border-b border-current text-petrol hover:text-ink'

/** The mail rules of a mailbox or of the organisation: all in their order, and one of them whole. */
export function MailRulesPage() {
  const { id, rule } = useParams()
  const owner = id === undefined ? null : Number(id)
  return <Rules key={owner ?? 0} owner={owner} open={rule ?? null} />
}

function Rules({ owner, open }: { owner: Owner; open: string | null }) {
  const navigate = useNavigate()
  const session = useSession()
  const [search] = useSearchParams()
  const { data, error, refetch } = useRules(owner)
  useRulesLive()
  const base = owner === null ? '/mailboxes/rules' : `/mailboxes/${owner}/rules`
  const may = mayWrite(session) && (owner !== null || maySteer(session))
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={7} />
  const { rules, mailbox, folders } = data
  const chosen = rules.find(rule => String(rule.id) === open)
  return (
    <div className={areaLayout}>
      <Head owner={owner} name={mailbox?.name ?? ''}>
        <HeadActs owner={owner} base={base} rules={rules} may={may} />
      </Head>
      <TwoPanes
        columns="min-[900px]:grid-cols-[minmax(330px,430px)_minmax(0,1fr)]"
        isOpen={open !== null}
        back={base}
        list={
          <RuleList
            owner={owner}
            rules={rules}
            openId={chosen?.id ?? null}
            may={may}
            onOpen={one => void navigate(`${base}/${one}`, { replace: true })}
          />
        }
        detail={
          <Detail
            owner={owner}
            name={mailbox?.name ?? ''}
            rule={isPane(open) ? open : chosen}
            like={Number(search.get('like')) || null}
            folders={folders}
            may={may}
            onDone={next => void navigate(next === null ? base : `${base}/${next}`, { replace: true })}
          />
        }
      />
    </div>
  )
}

/** What is shown beside the rules instead of one of them. */
const panes = ['new', 'fold', 'bring-in', 'store'] as const
type Pane = (typeof panes)[number]
const isPane = (open: string | null): open is Pane => panes.some(pane => pane === open)

interface ActsProps {
  readonly owner: Owner
  readonly base: string
  readonly rules: readonly MailRuleShape[]
  readonly may: boolean
}

function HeadActs({ owner, base, rules, may }: ActsProps) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const saving = useAct({ send: download })
  return (
    <>
      {may && (
        <Button kind="main" onClick={() => void navigate(`${base}/new`)}>
          {t('mailRules.new')}
        </Button>
      )}
      {may && owner !== null && rules.length > 0 && <CopyRules owner={owner} rules={rules} />}
      {may && <Button onClick={() => void navigate(`${base}/bring-in`)}>{t('mailRules.sieve.in')}</Button>}
      {rules.length > 0 && (
        <Button
          kind="link"
          className="self-center"
          onClick={() => saving.mutate(`/api/mail-rules/sieve${owner === null ? '' : `?mailbox=${owner}`}`)}
        >
          {t('mailRules.sieve.out')}
        </Button>
      )}
    </>
  )
}

function Head({ owner, name, children }: { owner: Owner; name: string; children: ReactNode }) {
  const { t } = useTranslation()
  const session = useSession()
  return (
    <section className="flex flex-wrap items-center justify-between gap-x-6 gap-y-2 border-b border-line-strong px-6 py-3 max-[899px]:px-4">
      <div>
        <h1 className="font-serif text-[1.3rem] leading-tight font-semibold">
          {owner === null ? (
            t('mailRules.ofOrganisation')
          ) : (
            <Sentence
              text={t('mailRules.of')}
              slots={{
                name: (
                  <Link to={`/mailboxes/${owner}`} className={link} title={t('mailRules.back', { name })}>
                    {name}
                  </Link>
                ),
              }}
            />
          )}
        </h1>
        <p className="text-ink-2">
          {t(owner === null ? 'mailRules.orderOrganisation' : 'mailRules.order')}{' '}
          {owner !== null && (
            <Sentence
              text={t('mailRules.then')}
              slots={{
                organisation: (
                  <Link to="/mailboxes/rules" className={link}>
                    {t('mailRules.thenLink')}
                  </Link>
                ),
              }}
            />
          )}
          {owner === null && !maySteer(session) && t('mailRules.onlySteward')}
        </p>
        {owner !== null && <AtStoreLine mailbox={owner} />}
      </div>
      <div className="flex flex-wrap gap-3">{children}</div>
    </section>
  )
}

interface DetailProps {
  readonly owner: Owner
  /** Whose rules they are; '' for the organisation. */
  readonly name: string
  /** A rule, or what is done instead of looking at one. */
  readonly rule: MailRuleShape | Pane | undefined
  /** A message that the new rule is made from. */
  readonly like: number | null
  readonly folders: readonly string[]
  readonly may: boolean
  readonly onDone: (next: number | null) => void
}

function Detail({ owner, name, rule, like, folders, may, onDone }: DetailProps) {
  const { t } = useTranslation()
  const suggestion = useSuggestion(rule === 'new' ? like : null)
  if (rule === undefined) return <Empty title={t('mailRules.choose')}>{t('mailRules.chooseText')}</Empty>
  if (rule === 'fold' && owner !== null)
    return <FoldRules mailboxId={owner} name={name} may={may} onDone={() => onDone(null)} />
  if (rule === 'bring-in') return <BringInRules owner={owner} onDone={() => onDone(null)} />
  if (rule === 'store' && owner !== null) return <AtStore mailbox={owner} may={may} />
  if (rule === 'fold' || rule === 'store') return null
  if (rule === 'new' && like !== null && suggestion.isPending) return <SkeletonRows count={4} />
  const start =
    rule === 'new' && suggestion.data
      ? {
          ...emptyDraft,
          name: suggestion.data.name,
          conditions:
            suggestion.data.conditions.length > 0 ? suggestion.data.conditions : emptyDraft.conditions,
        }
      : emptyDraft
  return (
    <Boundary of={rule === 'new' ? 'new' : rule.id}>
      <RuleEditor
        key={rule === 'new' ? 'new' : rule.id}
        owner={owner}
        rule={rule === 'new' ? null : rule}
        start={start}
        folders={folders}
        may={may}
        onDone={onDone}
      />
    </Boundary>
  )
}
