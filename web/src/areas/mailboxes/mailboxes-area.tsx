import { useTranslation } from 'react-i18next'
import { useNavigate, useParams } from 'react-router'
import { areaLayout } from '../../parts/layout.ts'
import { Boundary } from '../../parts/boundary.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty } from '../../parts/states.tsx'
import { TwoPanes } from '../../parts/two-panes.tsx'
import { maySteer, useSession } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'
import { AddPage } from './add-page.tsx'
import { DefaultsLink, DefaultsPage } from './defaults-page.tsx'
import { kinds, orders, traits, useFilter, type Filter } from './filter.ts'
import { MailboxList } from './mailbox-list.tsx'
import { MailboxPage } from './mailbox-page.tsx'
import { useMailboxesLive, useMailboxTable } from './use-mailboxes.ts'

/** Everybody's mailboxes under a sentence, and one of them whole. */
export function MailboxesArea() {
  const { t } = useTranslation()
  const { id } = useParams()
  const navigate = useNavigate()
  const { filter, change, search } = useFilter()
  const table = useMailboxTable(filter)
  useMailboxesLive()
  const openId = id !== undefined && /^\d{1,9}$/.test(id) ? Number(id) : null
  const isDefaults = id === 'defaults'
  const isNew = id === 'new'
  const may = maySteer(useSession())
  const first = table.data?.pages[0]
  const back = { pathname: '/mailboxes', search }
  return (
    <div className={areaLayout}>
      <h1 className="sr-only">{t('areas.mailboxes')}</h1>
      <section className="border-b border-line-strong px-6 py-4 text-[1.14rem] leading-[2.05rem]">
        <FilterSentence
          filter={filter}
          onChange={change}
          total={first?.total}
          departments={first?.departments ?? []}
        />{' '}
        <DefaultsLink onOpen={() => void navigate({ ...back, pathname: '/mailboxes/defaults' })} />
        {may && (
          <Button
            kind="link"
            className="ml-4 text-[0.95rem] leading-snug"
            onClick={() => void navigate({ ...back, pathname: '/mailboxes/new' })}
          >
            {t('directory.add')}
          </Button>
        )}
      </section>
      <TwoPanes
        columns="min-[900px]:grid-cols-[minmax(280px,340px)_minmax(0,1fr)]"
        isOpen={openId !== null || isDefaults || isNew}
        back={`/mailboxes?${search}`}
        list={
          <MailboxList
            table={table}
            find={filter.find}
            openId={openId}
            onFind={find => change({ find })}
            onOpen={one => void navigate({ ...back, pathname: `/mailboxes/${one}` }, { replace: true })}
          />
        }
        detail={<Detail page={id} openId={openId} may={may} />}
      />
    </div>
  )
}

/** One mailbox, what counts for all, or adding some. */
function Detail({ page, openId, may }: { page: string | undefined; openId: number | null; may: boolean }) {
  const { t } = useTranslation()
  return page === 'defaults' ? (
    <DefaultsPage />
  ) : page === 'new' && may ? (
    <AddPage />
  ) : openId === null ? (
    <Empty title={t('mailboxes.choose')}>
      {t('mailboxes.chooseText')}
      <FirstSteps className="mt-2" />
    </Empty>
  ) : (
    <Boundary of={openId}>
      <MailboxPage key={openId} id={openId} />
    </Boundary>
  )
}

interface SentenceProps {
  readonly filter: Filter
  readonly onChange: (part: Partial<Filter>) => void
  readonly total: number | undefined
  readonly departments: readonly string[]
}

function FilterSentence({ filter, onChange, total, departments }: SentenceProps) {
  const { t } = useTranslation()
  return (
    <Sentence
      text={t('mailboxes.filter', {
        total: total === undefined ? '…' : t('mailboxes.total', { count: total }),
      })}
      slots={{
        kind: (
          <SentenceSlot
            label={t('mailboxes.kindLabel')}
            text={t(`mailboxes.kind.${filter.kind}`)}
            value={filter.kind}
            options={kinds.map(value => ({ value, text: t(`mailboxes.kind.${value}`) }))}
            onPick={kind => onChange({ kind })}
          />
        ),
        department: (
          <SentenceSlot
            label={t('mailboxes.departmentLabel')}
            text={filter.department || t('mailboxes.anyDepartment')}
            value={filter.department}
            options={['', ...departments].map(value => ({
              value,
              text: value || t('mailboxes.anyDepartment'),
            }))}
            onPick={department => onChange({ department })}
          />
        ),
        trait: (
          <SentenceSlot
            label={t('mailboxes.traitLabel')}
            text={t(`mailboxes.trait.${filter.trait}`)}
            value={filter.trait}
            options={traits.map(value => ({
              value,
              text: t(`mailboxes.trait.${value}`),
              hint: t(`mailboxes.traitHint.${value}`),
            }))}
            onPick={trait => onChange({ trait })}
          />
        ),
        order: (
          <SentenceSlot
            label={t('mailboxes.orderLabel')}
            text={t(`mailboxes.order.${filter.order}`)}
            value={filter.order}
            options={orders.map(value => ({ value, text: t(`mailboxes.order.${value}`) }))}
            onPick={order => onChange({ order })}
          />
        ),
      }}
    />
  )
}
