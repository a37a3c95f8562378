import { DirectoryCard } from './directory-setting.tsx'
import { IdentityProviderCard } from './identity-setting.tsx'
import { AreaPage } from '../../parts/area-page.tsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { useSession, maySteer } from '../../app/session.ts'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { Choices, Line, Lines, Times } from './fields.tsx'
import { LettersCard } from './letters-setting.tsx'
import { OwnPagesCard } from './own-pages-setting.tsx'
import { SettingCard } from './setting-card.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { useSettings } from './use-settings.ts'
import { dateFormat } from '../../app/formats.ts'

/** What the organisation is called, what is its own, whom it believes, and what goes where. */
export function OrganisationArea() {
  const { t } = useTranslation()
  const { data, error, refetch } = useSettings()
  const may = maySteer(useSession())
  return (
    <AreaPage title={t('areas.organisation')} lead={t(may ? 'organisation.text' : 'organisation.readOnly')}>
      <Elsewhere may={may} />
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={6} />}
      <FirstSteps className="mb-3 rounded-lg border border-line bg-sheet px-4 py-2.5" />
      {data && <Settings data={data} may={may} />}
    </AreaPage>
  )
}

/** What of the organisation has a page of its own. */
function Elsewhere({ may }: { may: boolean }) {
  const { t } = useTranslation()
  const pages = [
    ['/organisation/doors', 'doors'],
    ['/organisation/stores', 'mailStores'],
    ['/organisation/learning', 'learning'],
    ['/mailboxes/defaults', 'limits'],
    ['/mailboxes/watching', 'watching'],
    ...(may ? [['/organisation/staffers', 'staffers'] as const] : []),
  ] as const
  return (
    <ul className="mb-3 flex flex-wrap gap-x-5 gap-y-1">
      {pages.map(([to, name]) => (
        <li key={to}>
          <Link to={to} className="border-b border-current font-semibold text-petrol hover:text-ink">
            {t(`organisation.${name}`)}
          </Link>
        </li>
      ))}
    </ul>
  )
}

function Settings({ data, may }: { data: OrganisationSettingsShape; may: boolean }) {
  return (
    <div className="grid items-start gap-3 min-[1080px]:grid-cols-2">
      <div className="grid min-w-0 gap-3">
        <Named data={data} may={may} />
        <Domains data={data} may={may} />
        <Addresses data={data} may={may} />
        <DigestTimes data={data} may={may} />
        <SecondFactor data={data} may={may} />
        <IdentityProviderCard data={data} may={may} />
      </div>
      <div className="grid min-w-0 gap-3">
        <Forbidden data={data} may={may} />
        <ReachingOut data={data} may={may} />
        <OwnPagesCard data={data} may={may} />
        <LettersCard data={data} may={may} />
        <Providers data={data} may={may} />
        <DirectoryCard data={data} may={may} />
      </div>
    </div>
  )
}

interface Of {
  readonly data: OrganisationSettingsShape
  readonly may: boolean
}

function Named({ data: { name }, may }: Of) {
  const { t } = useTranslation()
  return (
    <SettingCard what="name" saved={name} may={may}>
      {(draft, onChange) => (
        <>
          <Line
            label={t('organisation.name.name')}
            value={draft.name}
            onChange={value => onChange({ ...draft, name: value })}
          />
          <Line
            label={t('organisation.name.timeZone')}
            help={t('organisation.name.timeZoneHelp')}
            value={draft.timeZone}
            onChange={timeZone => onChange({ ...draft, timeZone })}
          />
        </>
      )}
    </SettingCard>
  )
}

function Domains({ data, may }: Of) {
  const { t } = useTranslation()
  const saved = data['own-domains']
  return (
    <SettingCard what="own-domains" saved={saved} may={may}>
      {(draft, onChange) => (
        <Lines label={t('organisation.own-domains.domains')} values={draft} onChange={onChange} />
      )}
    </SettingCard>
  )
}

function Addresses({ data: { addresses }, may }: Of) {
  const { t } = useTranslation()
  return (
    <SettingCard what="addresses" saved={addresses} may={may}>
      {(draft, onChange) =>
        (['digests', 'reports', 'help', 'postmaster'] as const).map(of => (
          <Line
            key={of}
            label={t(`organisation.addresses.${of}`)}
            help={t(`organisation.addresses.${of}Help`)}
            value={draft[of]}
            onChange={value => onChange({ ...draft, [of]: value.trim() })}
          />
        ))
      }
    </SettingCard>
  )
}

function DigestTimes({ data, may }: Of) {
  const { t, i18n } = useTranslation()
  const saved = data['digest-times']
  const weekday = dateFormat(i18n.language, { weekday: 'short', timeZone: 'UTC' })
  return (
    <SettingCard what="digest-times" saved={saved} may={may}>
      {(draft, onChange) => (
        <>
          <p className="mt-2 mb-1 font-semibold">{t('organisation.digest-times.times')}</p>
          <Times times={draft.times} onChange={times => onChange({ ...draft, times })} />
          <p className="mt-3 mb-1 font-semibold">{t('organisation.digest-times.weekdays')}</p>
          <Choices
            all={[1, 2, 3, 4, 5, 6, 7]}
            chosen={draft.weekdays}
            // 5 January 1970 was a Monday, ISO weekday 1.
            nameOf={day => weekday.format(Date.UTC(1970, 0, 4 + day))}
            onChange={weekdays => onChange({ ...draft, weekdays })}
          />
        </>
      )}
    </SettingCard>
  )
}

function Forbidden({ data: { forbidden, possible }, may }: Of) {
  const { t } = useTranslation()
  return (
    <SettingCard what="forbidden" saved={forbidden} may={may}>
      {(draft, onChange) => (
        <Choices
          all={possible}
          chosen={draft}
          nameOf={kind => t(`forbidden.kind.${kind}`)}
          onChange={onChange}
        />
      )}
    </SettingCard>
  )
}

function ReachingOut({ data, may }: Of) {
  const { t } = useTranslation()
  const saved = data['reaching-out']
  return (
    <SettingCard what="reaching-out" saved={saved} may={may}>
      {(draft, onChange) => (
        <Choices
          all={['pictures', 'unsubscribe'] as const}
          chosen={(['pictures', 'unsubscribe'] as const).filter(of => draft[of])}
          nameOf={of => t(`organisation.reaching-out.${of}`)}
          onChange={chosen =>
            onChange({ pictures: chosen.includes('pictures'), unsubscribe: chosen.includes('unsubscribe') })
          }
        />
      )}
    </SettingCard>
  )
}

function SecondFactor({ data, may }: Of) {
  const { t } = useTranslation()
  const saved = data['second-factor']
  return (
    <SettingCard what="second-factor" saved={saved} may={may}>
      {(draft, onChange) => (
        <Choices
          all={['required'] as const}
          chosen={draft === 'required' ? ['required'] : []}
          nameOf={() => t('organisation.second-factor.required')}
          onChange={chosen => onChange(chosen.length > 0 ? 'required' : 'optional')}
        />
      )}
    </SettingCard>
  )
}

function Providers({ data: { providers }, may }: Of) {
  const { t } = useTranslation()
  return (
    <SettingCard what="providers" saved={providers} may={may}>
      {(draft, onChange) =>
        (['shared', 'fileHosts', 'shorteners'] as const).map(of => (
          <Lines
            key={of}
            label={t(`organisation.providers.${of}`)}
            help={t(`organisation.providers.${of}Help`)}
            values={draft[of]}
            onChange={values => onChange({ ...draft, [of]: values })}
          />
        ))
      }
    </SettingCard>
  )
}
