import { useState, type ReactNode } from 'react'
import { Check } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { StepName, StepShape } from '@pendro/contract'
import { maySteer, useSession } from '../../../app/session.ts'
import { useChangeSteps, useSteps } from '../../../app/use-steps.ts'
import { AreaPage } from '../../../parts/area-page.tsx'
import { Button } from '../../../parts/buttons.tsx'
import { Failed, SkeletonRows } from '../../../parts/states.tsx'
import { VisitsCard } from '../doors/cards.tsx'
import { DomainsCard } from '../doors/domains-card.tsx'
import { TrialCard } from '../doors/trial-card.tsx'
import { useDoors } from '../doors/use-doors.ts'
import { Snippets } from './snippets.tsx'

/** What a new installation needs, step by step; each says by itself when it is done. */
export function StepsPage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useSteps({ live: true })
  const may = maySteer(useSession())
  const change = useChangeSteps()
  const [opened, setOpened] = useState<StepName>()
  const steps = data?.steps ?? []
  const done = steps.filter(({ state }) => state === 'done').length
  const left = steps.filter(({ state }) => state === 'open')
  const at = opened ?? left[0]?.name
  return (
    <AreaPage
      title={t('steps.title')}
      lead={
        data &&
        (left.length === 0 ? t('steps.all') : t('steps.lead', { count: done, done, of: steps.length }))
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={8} />}
      {!may && <p className="mb-2 text-ink-2">{t('steps.only')}</p>}
      <ol className="max-w-4xl divide-y divide-line rounded-lg border border-line bg-sheet">
        {steps.map((step, i) => (
          <Step
            key={step.name}
            n={i + 1}
            step={step}
            isOpen={step.name === at}
            may={may}
            onOpen={() => setOpened(step.name)}
          />
        ))}
      </ol>
      {data && may && (
        <p className="mt-3">
          {data.closed && <span className="mr-2 text-ink-2">{t('steps.closed')}</span>}
          <Button kind="link" onClick={() => change.mutate({ closed: !data.closed })}>
            {t(data.closed ? 'steps.reopen' : 'steps.close')}
          </Button>
        </p>
      )}
    </AreaPage>
  )
}

const leadsTo: Readonly<Record<StepName, string>> = {
  domains: '/organisation',
  people: '/mailboxes/new',
  doors: '/organisation/doors',
  store: '/organisation/stores',
  outgoing: '/organisation/doors',
  learning: '/organisation/learning',
  staffers: '/organisation/staffers',
  holding: '/mailboxes/watching',
}

function Step({
  n,
  step,
  isOpen,
  may,
  onOpen,
}: {
  n: number
  step: StepShape
  isOpen: boolean
  may: boolean
  onOpen: () => void
}) {
  const { t } = useTranslation()
  const { name, state } = step
  return (
    <li className="px-4 py-3">
      <h2>
        <button
          type="button"
          aria-expanded={isOpen}
          onClick={onOpen}
          className="flex w-full items-center gap-3 text-left"
        >
          <Mark n={n} state={state} />
          <span className="font-serif text-[1.1rem] font-semibold">{t(`steps.step.${name}.title`)}</span>
          <span className={`ml-auto ${state === 'done' ? 'text-wanted' : 'text-ink-2'}`}>
            {t(`steps.state.${state}`)}
          </span>
        </button>
      </h2>
      {isOpen && <Body step={step} may={may} />}
    </li>
  )
}

/** What the step is for, where it is done, and what can be tried here. */
function Body({ step: { name, state, count }, may }: { step: StepShape; may: boolean }) {
  const { t } = useTranslation()
  const change = useChangeSteps()
  return (
    <div className="mt-2 pl-10 max-[639px]:pl-0">
      <p>
        {t(`steps.step.${name}.text`)}{' '}
        {(name === 'people' || name === 'learning') && t(`steps.step.${name}.count`, { count })}
      </p>
      <p className="my-2 flex flex-wrap gap-x-5 gap-y-1">
        <Link
          to={leadsTo[name]}
          className="border-b border-current pb-px font-semibold text-petrol hover:text-ink"
        >
          {t(`steps.step.${name}.more`)}
        </Link>
        {may && state === 'open' && (
          <Button kind="link" onClick={() => change.mutate({ skip: name })}>
            {t('steps.skip')}
          </Button>
        )}
        {may && state === 'skipped' && (
          <Button kind="link" onClick={() => change.mutate({ comeBackTo: name })}>
            {t('steps.comeBack')}
          </Button>
        )}
      </p>
      <Inside name={name} may={may} />
    </div>
  )
}

function Mark({ n, state }: { n: number; state: StepShape['state'] }) {
  const look =
    state === 'done' ? 'border-wanted bg-wanted-tint text-wanted' : 'border-line-strong bg-raised text-ink-2'
  return (
    <span aria-hidden className={`grid size-7 shrink-0 place-items-center rounded-full border ${look}`}>
      {state === 'done' ? <Check className="size-4" /> : n}
    </span>
  )
}

/** What can be tried in the step itself. */
function Inside({ name, may }: { name: StepName; may: boolean }): ReactNode {
  switch (name) {
    case 'domains':
      return <DomainsCard />
    case 'doors':
      return (
        <div className="grid gap-3">
          <Snippets of={['gateway', 'filter']} />
          <LastVisits />
        </div>
      )
    case 'store':
      return <TrialCard may={may} />
    case 'outgoing':
      return <Snippets of={['relay']} />
    default:
      return null
  }
}

function LastVisits() {
  const { data } = useDoors()
  return data ? <VisitsCard visits={data.visits} /> : <SkeletonRows count={3} />
}
