import { useId } from 'react'
import { useTranslation } from 'react-i18next'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import type { Draft } from './draft.ts'

type Action = Draft['action']

const holds = ['none', 'let-in', 'junk', 'discarded'] as const
const places = ['none', 'folder', 'inbox', 'aside'] as const

interface Props {
  readonly action: Action
  readonly folders: readonly string[]
  readonly disabled: boolean
  readonly onChange: (action: Action) => void
}

/** What a rule does: whether the message is held, and where it goes when it is not. */
export function ActionFields({ action, folders, disabled, onChange }: Props) {
  const { t } = useTranslation()
  const { hold, place } = action
  const isHeld = hold === 'junk' || hold === 'discarded'
  return (
    <div className="grid gap-2">
      <p className="flex flex-wrap items-center gap-2">
        <span>{t('mailRules.edit.then')}</span>
        <SentenceSlot
          label={t('mailRules.edit.holdLabel')}
          text={t(`mailRules.hold.${hold ?? 'none'}`)}
          value={hold ?? 'none'}
          tone={hold === 'let-in' ? 'safe' : isHeld ? 'blocked' : 'plain'}
          disabled={disabled}
          options={holds.map(value => ({
            value,
            text: t(`mailRules.hold.${value}`),
            hint: t(`mailRules.holdHint.${value}`),
          }))}
          onPick={picked => {
            const next = picked === 'none' ? null : picked
            // What is held goes nowhere else: no place is left over that would mean nothing.
            onChange({ ...action, hold: next, place: next === 'junk' || next === 'discarded' ? null : place })
          }}
        />
        {!isHeld && <Place action={action} folders={folders} disabled={disabled} onChange={onChange} />}
      </p>
      {place?.kind === 'folder' && place.folder.trim() !== '' && !folders.includes(place.folder.trim()) && (
        <p className="text-[0.95rem] text-ink-2">{t('mailRules.edit.newFolder')}</p>
      )}
      <div className="flex flex-wrap gap-x-6 gap-y-2">
        {(['important', 'stop'] as const).map(name => (
          <label key={name} className="inline-flex items-center gap-2">
            <Checkbox
              checked={action[name]}
              label={t(`mailRules.edit.${name}`)}
              onChange={checked => !disabled && onChange({ ...action, [name]: checked })}
            />
            {t(`mailRules.edit.${name}`)}
          </label>
        ))}
      </div>
    </div>
  )
}

/** Where it goes when it goes on. */
function Place({ action, folders, disabled, onChange }: Props) {
  const { t } = useTranslation()
  const { place } = action
  return (
    <Sentence
      text={t('mailRules.edit.and')}
      slots={{
        place: (
          <SentenceSlot
            label={t('mailRules.edit.placeLabel')}
            text={t(`mailRules.place.${place?.kind ?? 'none'}`)}
            value={place?.kind ?? 'none'}
            disabled={disabled}
            options={places.map(value => ({ value, text: t(`mailRules.place.${value}`) }))}
            onPick={kind =>
              onChange({
                ...action,
                place: kind === 'none' ? null : kind === 'folder' ? { kind, folder: '' } : { kind },
              })
            }
          />
        ),
        folder: place?.kind === 'folder' && (
          <Folder
            folder={place.folder}
            folders={folders}
            disabled={disabled}
            onChange={folder => onChange({ ...action, place: { kind: 'folder', folder } })}
          />
        ),
      }}
    />
  )
}

interface FolderProps {
  readonly folder: string
  readonly folders: readonly string[]
  readonly disabled: boolean
  readonly onChange: (folder: string) => void
}

/** A folder there is, or a new one. */
function Folder({ folder, folders, disabled, onChange }: FolderProps) {
  const { t } = useTranslation()
  const id = useId()
  return (
    <>
      <input
        list={id}
        value={folder}
        maxLength={120}
        disabled={disabled}
        aria-label={t('mailRules.edit.folder')}
        placeholder={t('mailRules.edit.folder')}
        title={t('mailRules.edit.folderHelp')}
        onChange={({ target }) => onChange(target.value)}
        className="w-56 max-w-full rounded-md border border-line-strong bg-raised px-2 py-1"
      />
      <datalist id={id}>
        {folders.map(one => (
          <option key={one} value={one} />
        ))}
      </datalist>
    </>
  )
}
