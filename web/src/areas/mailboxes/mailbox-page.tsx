import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { MailboxSheet } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { AtStoreLine } from '../../parts/at-store-line.tsx'
import { MailRuleSlot } from '../../parts/mail-rule-slot.tsx'
import { ScheduleSlot } from '../../parts/schedule-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { AwayCard } from './away-card.tsx'
import { Card } from '../../parts/card.tsx'
import { ContactsCard } from './contacts-card.tsx'
import { FilteringCard } from './filtering-card.tsx'
import { InStoreCard } from './in-store-card.tsx'
import { FoldersCard } from './folders-card.tsx'
import { KeepingCard } from './keeping-card.tsx'
import { LimitsCard } from './limits-card.tsx'
import { LooksCard } from './looks-card.tsx'
import { MonthChart } from './month-chart.tsx'
import { ReplyCard } from './reply-card.tsx'
import { WhoCard } from './who-card.tsx'
import { useMailbox } from './use-mailboxes.ts'

const link = 'border-b border-current font-semibold text-petrol hover:text-ink'

/** Everything about one colleague's mail. */
export function MailboxPage({ id }: { id: number }) {
  const { data: sheet, error, refetch } = useMailbox(id)
  if (error && !sheet) return <Failed error={error} onAgain={() => void refetch()} />
  if (!sheet) return <SkeletonRows count={7} />
  return (
    <div
      className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
      tabIndex={0}
      role="region"
      aria-label={sheet.mailbox.name}
    >
      <Head sheet={sheet} />
      <WhoCard key={JSON.stringify(sheet.mailbox)} mailbox={sheet.mailbox} />
      <div className="grid items-start gap-3 min-[1180px]:grid-cols-2">
        <LimitsCard sheet={sheet} />
        <div className="grid gap-3">
          <AwayCard sheet={sheet} />
          <ReplyCard sheet={sheet} />
          <LooksCard sheet={sheet} />
        </div>
      </div>
      <InStoreCard sheet={sheet} className="mt-3" />
      <div className="mt-3 grid gap-3 min-[700px]:grid-cols-2 min-[1180px]:grid-cols-3">
        <KeepingCard sheet={sheet} />
        <FilteringCard sheet={sheet} />
        <DigestCard sheet={sheet} />
        <Rules sheet={sheet} />
        <FoldersCard sheet={sheet} />
        <Entries sheet={sheet} />
        <Contacts sheet={sheet} />
      </div>
    </div>
  )
}

interface OfSheet {
  readonly sheet: MailboxSheet
}

function Head({ sheet }: OfSheet) {
  const { t } = useTranslation()
  const { mailbox, days, kept, going } = sheet
  const { id, name, address, department, timeZone, minders, aliases, kind } = mailbox
  const sum = (of: 'keptBack' | 'released' | 'missed') => days.reduce((total, day) => total + day[of], 0)
  const names = minders.map(minder => minder.name).join(', ')
  return (
    <header className="mb-3 grid gap-x-6 gap-y-1 min-[1180px]:grid-cols-[minmax(0,1fr)_minmax(240px,360px)]">
      <div>
        <h2 className="font-serif text-[1.42rem] leading-tight font-semibold">{name}</h2>
        <p className="text-ink-2">
          <span className="font-mono text-ink">{address}</span>
          {[
            department,
            kind === 'person' ? '' : t(`mailboxes.note.${kind}`),
            timeZone,
            aliases.length > 0 ? t('mailboxes.sheet.aliases', { aliases: aliases.join(', ') }) : '',
            minders.length > 0 ? t('mailboxes.sheet.minders', { count: minders.length, names }) : '',
          ]
            .filter(Boolean)
            .map(part => ` · ${part}`)}
        </p>
        <p className="mt-1">
          <Sentence
            text={t('mailboxes.sheet.month', {
              kept: sum('keptBack'),
              released: sum('released'),
              missed: sum('missed'),
            })}
          />{' '}
          {t('mailboxes.sheet.now', { count: kept })}{' '}
          {going.all > 0 && (
            <span className={going.wanted > 0 ? 'font-semibold text-amber' : 'text-ink-2'}>
              {t(going.wanted > 0 ? 'mailboxes.sheet.goingWanted' : 'mailboxes.sheet.going', {
                count: going.all,
                wanted: going.wanted,
              })}
            </span>
          )}
        </p>
        <p className="mt-1 flex flex-wrap gap-x-5">
          <Link to={`/review?mailbox=${id}`} className={link}>
            {t('mailboxes.sheet.review')}
          </Link>
          <Link to={`/digests/${id}`} className={link}>
            {t('mailboxes.sheet.digest')}
          </Link>
          <Link to={`/record?mailbox=${id}&what=everything&who=everybody`} className={link}>
            {t('mailboxes.sheet.record')}
          </Link>
        </p>
      </div>
      <div className="self-end">
        <MonthChart days={days} />
        <p className="text-[0.88rem] text-ink-2">{t('mailboxes.sheet.chartSays')}</p>
      </div>
    </header>
  )
}

function Contacts({ sheet: { mailbox, contacts } }: OfSheet) {
  return <ContactsCard whose={mailbox.id} count={contacts} may={mayWrite(useSession())} />
}

function DigestCard({ sheet }: OfSheet) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  const { digests, mailbox } = sheet
  return (
    <Card title={t('mailboxes.digests.title')}>
      <p>
        <ScheduleSlot
          data={{ mailbox, schedule: digests, timeZone: mailbox.timeZone }}
          disabled={!mayWrite(session)}
        />
      </p>
      <p className="mt-1 text-ink-2">
        {digests.next === null
          ? t('mailboxes.digests.none')
          : t('mailboxes.digests.next', { time: times.full(digests.next) })}
      </p>
    </Card>
  )
}

function Rules({ sheet: { rules, mailbox } }: OfSheet) {
  const { t } = useTranslation()
  return (
    <Card
      title={t('mailboxes.rules.title')}
      more={
        <Link to={`/mailboxes/${mailbox.id}/rules${rules.length === 0 ? '/new' : ''}`} className={link}>
          {t(rules.length === 0 ? 'mailboxes.rules.make' : 'mailboxes.rules.show')}
        </Link>
      }
    >
      <AtStoreLine mailbox={mailbox.id} onlyTrouble />
      {rules.length === 0 && <p className="text-ink-2">{t('mailboxes.rules.none')}</p>}
      <ol className="grid max-h-48 gap-1 overflow-y-auto">
        {rules.map(({ id, name, on }) => (
          <li key={id} className="flex items-baseline gap-2">
            <MailRuleSlot id={id} name={name} />
            {!on && <span className="text-ink-2">{t('mailboxes.rules.off')}</span>}
          </li>
        ))}
      </ol>
    </Card>
  )
}

function Entries({ sheet: { mailbox, entries, openEnquiries } }: OfSheet) {
  const { t } = useTranslation()
  return (
    <Card
      title={t('mailboxes.entries.title')}
      more={
        <Link to={`/senders?mailbox=${mailbox.id}`} className={link}>
          {t('mailboxes.entries.show')}
        </Link>
      }
    >
      <p>
        {t('mailboxes.entries.safe', { count: entries.safe })},{' '}
        {t('mailboxes.entries.blocked', { count: entries.blocked })}
      </p>
      <h4 className="mt-3 font-bold text-ink-2">{t('mailboxes.enquiries.title')}</h4>
      {openEnquiries.length === 0 && <p className="text-ink-2">{t('mailboxes.enquiries.none')}</p>}
      <ul>
        {openEnquiries.map(({ id, words }) => (
          <li key={id} className="truncate">
            <Link
              to={`/whereabouts?enquiry=${id}`}
              className="border-b border-line-strong hover:border-current"
            >
              {words || `#${id}`}
            </Link>
          </li>
        ))}
      </ul>
    </Card>
  )
}
