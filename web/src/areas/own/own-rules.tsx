import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeOwnRules,
  ownRulesChange,
  previewOwnRules,
  readOwnRules,
  undoOwnChange,
  type MailRuleShape,
  type OwnRulesChange,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Field, inputStyle } from '../../parts/field.tsx'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import {
  draftOf,
  emptyForm,
  formOf,
  ownFields,
  ownTests,
  ownThens,
  type OwnRuleForm,
} from './own-rule-form.ts'
import { useProblemText } from './own-session.ts'
import { Allowed } from './allowed.tsx'
import { useOwnAct } from './use-own-act.ts'

/** Changes the rules as one act, with its undo at the foot of the screen. */
function useChange(onDone: () => void) {
  const { t } = useTranslation()
  const undoing = useOwnAct({
    send: (id: number) => call(undoOwnChange, { params: { id }, body: {} }),
    notice: () => ({ text: t('own.undone') }),
    makes: 'own-changed',
  })
  return useOwnAct({
    send: (change: OwnRulesChange) => call(changeOwnRules, { body: { change, token: crypto.randomUUID() } }),
    notice: ({ change }, { act }) => ({
      text: t(`own.rules.done.${act}`),
      action: { label: t('own.undo'), run: () => undoing.mutate(change) },
    }),
    makes: 'own-changed',
    onDone,
  })
}

/** A colleague's own mail rules: the same sentence as the help desk's, as far as it fits a phone. */
export function OwnRules() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  /** The rule in the form; 'new' for one to be made. */
  const [open, setOpen] = useState<MailRuleShape | 'new' | null>(null)
  const changing = useChange(() => setOpen(null))
  const list = useQuery({
    queryKey: queryKeyOf('own', 'rules'),
    queryFn: ({ signal }) => call(readOwnRules, { signal }),
  })
  return (
    <>
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.rules.title')}</h1>
      <p className="mt-1 text-ink-2">{t('own.rules.text')}</p>
      <Allowed part="rules">
        {list.isPending && <SkeletonRows count={4} />}
        {list.error && !list.data && (
          <Failed say={problemText} error={list.error} onAgain={() => void list.refetch()} />
        )}
        {open === null ? (
          <p className="mt-3">
            <Button kind="main" disabled={!list.data} onClick={() => setOpen('new')}>
              {t('own.rules.new')}
            </Button>
          </p>
        ) : (
          <RuleForm
            key={open === 'new' ? 'new' : open.id}
            rule={open === 'new' ? null : open}
            folders={list.data?.folders ?? []}
            busy={changing.isPending}
            onSave={changing.mutate}
            onCancel={() => setOpen(null)}
          />
        )}
        {list.data?.rules.length === 0 && open === null && (
          <Empty title={t('own.rules.none')}>{t('own.rules.noneText')}</Empty>
        )}
        <ol className="mt-4 rounded-lg border border-line bg-sheet empty:hidden">
          {list.data?.rules.map(rule => (
            <Rule
              key={rule.id}
              rule={rule}
              busy={changing.isPending}
              onChange={changing.mutate}
              onOpen={() => setOpen(rule)}
            />
          ))}
        </ol>
      </Allowed>
    </>
  )
}

interface RuleProps {
  readonly rule: MailRuleShape
  readonly busy: boolean
  readonly onChange: (change: OwnRulesChange) => void
  readonly onOpen: () => void
}

function Rule({ rule, busy, onChange, onOpen }: RuleProps) {
  const { t, i18n } = useTranslation()
  const { id, version, on } = rule
  const says = ruleSentence(rule, t, i18n.language, 'own.rules')
  const link = 'min-h-8 border-b border-current text-petrol'
  return (
    <li className="border-b border-line px-3 py-2.5 last:border-b-0">
      <p className={on ? '[overflow-wrap:anywhere]' : '[overflow-wrap:anywhere] text-ink-2'}>{says}</p>
      <p className="mt-1 flex flex-wrap items-center gap-x-5 gap-y-1">
        <label className="flex min-h-8 items-center gap-2">
          <Checkbox
            checked={on}
            label={t('own.rules.onLabel', { rule: says })}
            onChange={value => onChange({ act: 'switch', id, on: value })}
          />
          {t('own.rules.on')}
        </label>
        {formOf(rule) ? (
          <button
            type="button"
            className={link}
            aria-label={t('own.rules.editLabel', { rule: says })}
            onClick={onOpen}
          >
            {t('own.rules.edit')}
          </button>
        ) : (
          <span className="text-[0.92rem] text-ink-2">{t('own.rules.tooMuch')}</span>
        )}
        <button
          type="button"
          className={link}
          disabled={busy}
          aria-label={t('own.rules.removeLabel', { rule: says })}
          onClick={() => onChange({ act: 'remove', id, version })}
        >
          {t('own.rules.remove')}
        </button>
      </p>
    </li>
  )
}

interface FormProps {
  readonly rule: MailRuleShape | null
  readonly folders: readonly string[]
  readonly busy: boolean
  readonly onSave: (change: OwnRulesChange) => void
  readonly onCancel: () => void
}

function RuleForm({ rule, folders, busy, onSave, onCancel }: FormProps) {
  const { t } = useTranslation()
  const [form, setForm] = useState<OwnRuleForm>((rule && formOf(rule)) ?? emptyForm)
  const set = (part: Partial<OwnRuleForm>) => setForm(now => ({ ...now, ...part }))
  const draft = draftOf(form)
  const asked = draft && {
    ...(rule ? ({ act: 'edit', id: rule.id, version: rule.version } as const) : ({ act: 'add' } as const)),
    draft: { ...draft, name: rule?.name ?? draft.name },
  }
  const change = asked && ownRulesChange.safeParse(asked).success ? asked : null
  const submit = (event: FormEvent) => {
    event.preventDefault()
    if (change) onSave(change)
  }
  return (
    <form onSubmit={submit} className="mt-3 grid gap-3 rounded-lg border border-line bg-sheet p-4">
      <Fields form={form} folders={folders} set={set} />
      <div aria-live="polite">{change && <Effect change={change} />}</div>
      <p className="flex flex-wrap gap-2">
        <Button type="submit" kind="main" disabled={busy || !change}>
          {t('own.rules.save')}
        </Button>
        <Button kind="link" onClick={onCancel}>
          {t('own.rules.cancel')}
        </Button>
      </p>
    </form>
  )
}

interface FieldsProps {
  readonly form: OwnRuleForm
  readonly folders: readonly string[]
  readonly set: (part: Partial<OwnRuleForm>) => void
}

/** The sentence, part by part. */
function Fields({ form, folders, set }: FieldsProps) {
  const { t } = useTranslation()
  return (
    <>
      <div className="grid gap-3 sm:grid-cols-2">
        <Choice
          label={t('own.rules.when')}
          value={form.field}
          options={ownFields.map(value => [value, t(`own.rules.fieldName.${value}`)])}
          onPick={value => set({ field: value })}
        />
        <Choice
          label={t('own.rules.how')}
          value={form.test}
          options={ownTests.map(value => [value, t(`own.rules.testName.${value}`)])}
          onPick={value => set({ test: value })}
        />
      </div>
      <Field label={t('own.rules.values')}>
        {input => (
          <textarea
            {...input}
            rows={2}
            value={form.values}
            autoCapitalize="none"
            spellCheck={false}
            onChange={({ target }) => set({ values: target.value })}
            className={inputStyle}
          />
        )}
      </Field>
      <Choice
        label={t('own.rules.then')}
        value={form.then}
        options={ownThens.map(value => [value, t(`own.rules.thenName.${value}`)])}
        onPick={value => set({ then: value })}
      />
      {form.then === 'folder' && (
        <FolderField folder={form.folder} folders={folders} onChange={folder => set({ folder })} />
      )}
    </>
  )
}

interface FolderProps {
  readonly folder: string
  readonly folders: readonly string[]
  readonly onChange: (folder: string) => void
}

function FolderField({ folder, folders, onChange }: FolderProps) {
  const { t } = useTranslation()
  return (
    <Field label={t('own.rules.folder')}>
      {input => (
        <>
          <input
            {...input}
            list="own-folders"
            maxLength={120}
            value={folder}
            onChange={({ target }) => onChange(target.value)}
            className={inputStyle}
          />
          <datalist id="own-folders">
            {folders.map(one => (
              <option key={one} value={one} />
            ))}
          </datalist>
        </>
      )}
    </Field>
  )
}

/** What the change would have done to the mail of the last 30 days. */
function Effect({ change }: { change: OwnRulesChange }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const asked = useDelayed(change, 400)
  const { data, error } = useQuery({
    queryKey: queryKeyOf('own', 'rules', 'effect', asked),
    queryFn: ({ signal }) => call(previewOwnRules, { body: { change: asked }, signal }),
    gcTime: 10_000,
  })
  if (error) return <p className="text-stop">{problemText(error)}</p>
  if (!data) return <p className="text-ink-2">{t('own.rules.looking')}</p>
  return (
    <>
      {(data.finding?.kind === 'unreachable' || data.finding?.kind === 'repeats') && (
        <p className="font-semibold text-amber">{t('own.rules.noSay')}</p>
      )}
      <p>{t('own.rules.would', { count: data.matched, changed: data.changed })}</p>
      <ul className="mt-1 text-[0.95rem] text-ink-2">
        {data.examples.slice(0, 3).map(({ deliveryId, subject, from }) => (
          <li key={deliveryId} className="truncate">
            {subject} · {from}
          </li>
        ))}
      </ul>
    </>
  )
}

interface ChoiceProps<T extends string> {
  readonly label: string
  readonly value: T
  readonly options: readonly (readonly [value: T, text: string])[]
  readonly onPick: (value: T) => void
}

function Choice<T extends string>({ label, value, options, onPick }: ChoiceProps<T>) {
  return (
    <Field label={label}>
      {input => (
        <select
          {...input}
          value={value}
          onChange={({ target }) => {
            const [picked] = options.find(([one]) => one === target.value) ?? []
            if (picked !== undefined) onPick(picked)
          }}
          className={inputStyle}
        >
          {options.map(([one, text]) => (
            <option key={one} value={one}>
              {text}
            </option>
          ))}
        </select>
      )}
    </Field>
  )
}
