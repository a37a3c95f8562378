import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  digestLanguages,
  previewLetter,
  type DigestLanguage,
  type OrganisationSettingsShape,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { Field, inputStyle } from '../../parts/field.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { SettingCard } from './setting-card.tsx'

type Setting = OrganisationSettingsShape['letters']

const kinds = ['welcome', 'code', 'digest'] as const
type Kind = (typeof kinds)[number]

/** What letters to colleagues say besides Pendro's own words, with the whole letter beside it. */
export function LettersCard({
  data: { letters: saved },
  may,
}: {
  data: OrganisationSettingsShape
  may: boolean
}) {
  const { t } = useTranslation()
  const [language, setLanguage] = useState<DigestLanguage>(saved.language)
  return (
    <SettingCard what="letters" saved={saved} may={may}>
      {(draft, onChange) => (
        <>
          <Pick
            label={t('organisation.letters.usual')}
            help={t('organisation.letters.usualHelp')}
            value={draft.language}
            onPick={usual => onChange({ ...draft, language: usual })}
          />
          <Pick label={t('organisation.letters.language')} value={language} onPick={setLanguage} />
          {(['welcome', 'foot'] as const).map(place => (
            <Field
              key={place}
              label={t(`organisation.letters.${place}`)}
              help={t(`organisation.letters.${place}Help`)}
              className="mt-2"
            >
              {input => (
                <textarea
                  {...input}
                  rows={3}
                  maxLength={1000}
                  lang={language}
                  value={draft[place][language]}
                  onChange={({ target }) =>
                    onChange({ ...draft, [place]: { ...draft[place], [language]: target.value } })
                  }
                  className={inputStyle}
                />
              )}
            </Field>
          ))}
          <Preview letters={draft} language={language} />
        </>
      )}
    </SettingCard>
  )
}

function Pick({
  label,
  help,
  value,
  onPick,
}: {
  label: string
  help?: string
  value: DigestLanguage
  onPick: (language: DigestLanguage) => void
}) {
  const { t } = useTranslation()
  return (
    <Field label={label} help={help} className="mt-2">
      {input => (
        <select
          {...input}
          value={value}
          onChange={({ target }) => onPick(digestLanguages.find(one => one === target.value) ?? value)}
          className={`${inputStyle} max-w-64`}
        >
          {digestLanguages.map(one => (
            <option key={one} value={one}>
              {t(`organisation.letters.name.${one}`)}
            </option>
          ))}
        </select>
      )}
    </Field>
  )
}

/** The letter as it would be; it goes to nobody. */
function Preview({ letters, language }: { letters: Setting; language: DigestLanguage }) {
  const { t } = useTranslation()
  const [kind, setKind] = useState<Kind>('welcome')
  const asked = useDelayed({ letters, kind, language }, 300)
  const { data, error } = useQuery({
    queryKey: queryKeyOf('settings', 'letter', asked),
    queryFn: ({ signal }) => call(previewLetter, { body: asked, signal }),
    placeholderData: before => before,
    retry: false,
    gcTime: 10_000,
  })
  return (
    <div className="mt-3">
      <Field label={t('organisation.letters.preview')}>
        {input => (
          <select
            {...input}
            value={kind}
            onChange={({ target }) => setKind(kinds.find(one => one === target.value) ?? kind)}
            className={`${inputStyle} max-w-64`}
          >
            {kinds.map(one => (
              <option key={one} value={one}>
                {t(`organisation.letters.kind.${one}`)}
              </option>
            ))}
          </select>
        )}
      </Field>
      {error && <p className="mt-2 text-stop">{problemOf(error).text}</p>}
      {data && !error && (
        <div lang={language} className="mt-2 rounded-md border border-line bg-raised px-3 py-2">
          <p className="mb-2 font-semibold">{data.subject}</p>
          <p className="max-h-80 overflow-y-auto [overflow-wrap:anywhere] whitespace-pre-line" tabIndex={0}>
            {data.text}
          </p>
        </div>
      )}
    </div>
  )
}
