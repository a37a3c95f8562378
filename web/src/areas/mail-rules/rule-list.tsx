import { useMemo, useState, type ReactNode } from 'react'
import {
  closestCenter,
  DndContext,
  KeyboardSensor,
  PointerSensor,
  useSensor,
  useSensors,
  type Announcements,
  type DragEndEvent,
} from '@dnd-kit/core'
import {
  arrayMove,
  SortableContext,
  sortableKeyboardCoordinates,
  useSortable,
  verticalListSortingStrategy,
} from '@dnd-kit/sortable'
import { clsx } from 'clsx'
import { GripVertical } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { MailRuleShape, RulesChange, RulesWork } from '@pendro/contract'
import { problemOf } from '../../app/api.ts'
import { useKeys } from '../../app/keys.ts'
import { Button } from '../../parts/buttons.tsx'
import { ruleSentence } from '../../parts/rule-sentence.ts'
import { RulesEffect } from '../../parts/rules-effect.tsx'
import { Empty } from '../../parts/states.tsx'
import { findingText } from './finding-text.ts'
import { useRulesChange, useRulesEffect, useRulesWork, type Owner } from './use-rules.ts'

interface Props {
  readonly owner: Owner
  readonly rules: readonly MailRuleShape[]
  readonly openId: number | null
  readonly may: boolean
  readonly onOpen: (id: number) => void
}

/** Rules in the order they are asked; dragged, or moved by the keyboard, and saved when what that comes to is seen. */
export function RuleList({ owner, rules, openId, may, onOpen }: Props) {
  const { t } = useTranslation()
  const [order, setOrder] = useState<readonly number[] | null>(null)
  const shown = useMemo(() => inOrder(rules, order), [rules, order])
  const work = useRulesWork(owner)
  const step = (by: 1 | -1) => () => {
    const at = shown.findIndex(({ id }) => id === openId)
    const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))]
    if (next) onOpen(next.id)
  }
  useKeys({ j: step(1), k: step(-1) })
  if (rules.length === 0)
    return (
      <Empty title={t(owner === null ? 'mailRules.noneOrganisation' : 'mailRules.none')}>
        {t('mailRules.noneText')}
      </Empty>
    )
  const ids = shown.map(({ id }) => id)
  const isNew = ids.some((id, i) => rules[i]?.id !== id)
  return (
    <div className="grid h-full min-h-0 grid-rows-[minmax(0,1fr)_auto] bg-sheet">
      <div className="min-h-0 overflow-y-auto" tabIndex={0} role="region" aria-label={t('mailRules.list')}>
        {owner !== null && <Foldable owner={owner} rules={rules} />}
        <Sortable ids={ids} rules={shown} onMove={setOrder}>
          <ol>
            {shown.map((rule, i) => (
              <Row
                key={rule.id}
                rule={rule}
                place={i + 1}
                work={work.data?.rules.find(({ id }) => id === rule.id)}
                isOpen={rule.id === openId}
                mayMove={may && rules.length > 1}
                onOpen={() => onOpen(rule.id)}
              />
            ))}
          </ol>
        </Sortable>
        {work.isPending && <p className="px-4 py-2 text-ink-2">{t('mailRules.working')}</p>}
      </div>
      {isNew && <NewOrder owner={owner} ids={ids} onDone={() => setOrder(null)} />}
    </div>
  )
}

/** A long list of rules that only block one sender each wants to be entries; from a few on it is said. */
function Foldable({ owner, rules }: { owner: number; rules: readonly MailRuleShape[] }) {
  const { t } = useTranslation()
  const blocking = rules.filter(onlyBlocks).length
  if (blocking < fewestFolded) return null
  return (
    <section className="border-b border-line bg-amber-tint px-4 py-3">
      <b>{t('mailRules.fold.open', { count: blocking })}</b>
      <p className="text-[0.95rem]">
        {t('mailRules.fold.worth')}{' '}
        <Link
          to={`/mailboxes/${owner}/rules/fold`}
          className="border-b border-current font-semibold text-petrol hover:text-ink"
        >
          {t('mailRules.fold.look')}
        </Link>
      </p>
    </section>
  )
}

const fewestFolded = 3
const onlyBlocks = ({ on, conditions, action: { hold, place, important } }: MailRuleShape): boolean =>
  on &&
  (hold === 'junk' || hold === 'discarded') &&
  place === null &&
  !important &&
  conditions.every(({ field, test }) => field === 'from' && (test === 'is' || test === 'matches'))

/** What was moved by hand, with what came or went meanwhile at the end. */
function inOrder(rules: readonly MailRuleShape[], order: readonly number[] | null): readonly MailRuleShape[] {
  if (order === null) return rules
  const place = new Map(order.map((id, i) => [id, i]))
  return [...rules].sort((a, b) => (place.get(a.id) ?? rules.length) - (place.get(b.id) ?? rules.length))
}

interface SortableProps {
  readonly ids: readonly number[]
  readonly rules: readonly MailRuleShape[]
  readonly onMove: (ids: readonly number[]) => void
  readonly children: ReactNode
}

function Sortable({ ids, rules, onMove, children }: SortableProps) {
  const { t } = useTranslation()
  const sensors = useSensors(
    useSensor(PointerSensor, { activationConstraint: { distance: 5 } }),
    useSensor(KeyboardSensor, { coordinateGetter: sortableKeyboardCoordinates }),
  )
  const told = (key: string, id: unknown, over: unknown) =>
    t(`mailRules.${key}`, {
      name: rules.find(rule => rule.id === id)?.name,
      place: ids.indexOf(Number(over ?? id)) + 1,
      total: ids.length,
    })
  const announcements: Announcements = {
    onDragStart: ({ active }) => told('lifted', active.id, active.id),
    onDragOver: ({ active, over }) => told('over', active.id, over?.id),
    onDragEnd: ({ active, over }) => told('dropped', active.id, over?.id),
    onDragCancel: ({ active }) => told('cancelled', active.id, active.id),
  }
  const end = ({ active, over }: DragEndEvent) => {
    if (!over || active.id === over.id) return
    onMove(arrayMove([...ids], ids.indexOf(Number(active.id)), ids.indexOf(Number(over.id))))
  }
  return (
    <DndContext
      sensors={sensors}
      collisionDetection={closestCenter}
      onDragEnd={end}
      accessibility={{
        announcements,
        screenReaderInstructions: { draggable: t('mailRules.moveHelp') },
      }}
    >
      <SortableContext items={[...ids]} strategy={verticalListSortingStrategy}>
        {children}
      </SortableContext>
    </DndContext>
  )
}

interface RowProps {
  readonly rule: MailRuleShape
  readonly place: number
  readonly work: RulesWork['rules'][number] | undefined
  readonly isOpen: boolean
  readonly mayMove: boolean
  readonly onOpen: () => void
}

function Row({ rule, place, work, isOpen, mayMove, onOpen }: RowProps) {
  const { t, i18n } = useTranslation()
  const { attributes, listeners, setNodeRef, setActivatorNodeRef, transform, transition, isDragging } =
    useSortable({ id: rule.id, disabled: !mayMove })
  return (
    <li
      ref={setNodeRef}
      style={{ transform: transform ? `translate3d(0, ${transform.y}px, 0)` : undefined, transition }}
      className={clsx(
        'relative flex items-start border-b border-line bg-sheet',
        isDragging && 'z-10 shadow-[0_6px_24px_rgb(30_42_48/.16)]',
        isOpen && 'bg-tint',
      )}
    >
      {mayMove && (
        <button
          type="button"
          ref={setActivatorNodeRef}
          {...attributes}
          {...listeners}
          aria-label={t('mailRules.move', { name: rule.name })}
          className="my-1 ml-1 grid min-h-[28px] min-w-[28px] cursor-grab touch-none place-items-center rounded-sm text-ink-2 hover:text-ink"
        >
          <GripVertical aria-hidden className="size-4" />
        </button>
      )}
      <button
        type="button"
        onClick={onOpen}
        aria-current={isOpen || undefined}
        className={clsx('min-w-0 flex-1 py-2 pr-4 text-left', !mayMove && 'pl-4')}
      >
        <span className="flex items-baseline justify-between gap-3">
          <b className="truncate">
            <span className="font-normal text-ink-2">{place}.</span> {rule.name}
          </b>
          <span
            className={clsx(
              'shrink-0 text-[0.92rem]',
              rule.on && work?.finding?.kind === 'never' ? 'text-amber' : 'text-ink-2',
            )}
          >
            {rule.on ? work && t('mailRules.matched', { count: work.matched }) : t('mailRules.off')}
          </span>
        </span>
        <span className={clsx('line-clamp-3', !rule.on && 'text-ink-2')}>
          {ruleSentence(rule, t, i18n.language)}
        </span>
        {work?.finding && work.finding.kind !== 'never' && (
          <span className="block text-[0.95rem] text-amber">{findingText(work.finding, t)}</span>
        )}
      </button>
    </li>
  )
}

function NewOrder({ owner, ids, onDone }: { owner: Owner; ids: readonly number[]; onDone: () => void }) {
  const { t } = useTranslation()
  const change: RulesChange = { act: 'order', ids: [...ids] }
  const { data, error } = useRulesEffect(owner, change)
  const changing = useRulesChange(owner, onDone)
  return (
    <section className="max-h-[50vh] overflow-y-auto border-t border-line-strong bg-raised px-4 py-3">
      <h3 className="font-bold">{t('mailRules.newOrder')}</h3>
      <div aria-live="polite">
        {error ? (
          <p className="text-stop">{problemOf(error).text}</p>
        ) : data ? (
          <RulesEffect effect={data} said="order" />
        ) : (
          <p className="text-ink-2">{t('mailRules.working')}</p>
        )}
      </div>
      <p className="mt-3 flex flex-wrap gap-3">
        <Button kind="main" disabled={changing.isPending} onClick={() => changing.mutate({ change })}>
          {t('mailRules.saveOrder')}
        </Button>
        <Button onClick={onDone}>{t('mailRules.oldOrder')}</Button>
      </p>
    </section>
  )
}
