import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import type { WhereHit } from '@pendro/contract'
import { useKeys } from '../../app/keys.ts'
import { useTimes } from '../../app/times.ts'
import { HitCard } from './hit-card.tsx'
import { groupHits, hereOf, toneOf, type HitGroup } from './hit-groups.ts'
import { StopDot } from './journey.tsx'
import { stopDetails } from './stop-text.ts'
import { keyOf } from './use-where.ts'

interface Props {
  readonly hits: readonly WhereHit[]
  /** The words that were asked for. */
  readonly about: string
  /** Notes a hit as the message of the open enquiry; `null` while none is open. */
  readonly onChoose: ((id: number) => void) | null
}

/** What may be meant, best first: one as its whole journey, the others in two lines until somebody moves to them. */
export function HitList({ hits, about, onChoose }: Props) {
  const shown = useDeferredValue(hits)
  const groups = useMemo(() => groupHits(shown, about), [shown, about])
  const [wanted, setWanted] = useState<string | null>(null)
  const list = useRef<HTMLDivElement>(null)
  const openAt = Math.max(
    0,
    groups.findIndex(({ hits: all }) => all.some(hit => keyOf(hit) === wanted)),
  )
  useKeys(
    useMemo(() => {
      const go = (by: number) => () => {
        const next = groups[Math.min(groups.length - 1, Math.max(0, openAt + by))]
        if (!next) return
        setWanted(keyOf(next.first))
        const card = list.current?.children[groups.indexOf(next)]
        if (card instanceof HTMLElement) {
          card.focus({ preventScroll: true })
          requestAnimationFrame(() => card.scrollIntoView({ block: 'nearest' }))
        }
      }
      const main = () =>
        list.current?.children[openAt]?.querySelector<HTMLElement>('[data-main]:not(:disabled)')?.focus()
      return { j: go(1), k: go(-1), ArrowDown: go(1), ArrowUp: go(-1), r: () => main() }
    }, [groups, openAt]),
  )
  const isThere = groups.length > 0
  useEffect(() => {
    // Whoever asked by Enter goes on here; whoever types is left alone.
    const card = list.current?.children[0]
    if (isThere && document.activeElement === document.body && card instanceof HTMLElement)
      card.focus({ preventScroll: true })
  }, [isThere])
  return (
    <div ref={list} className="space-y-2">
      {groups.map((group, i) =>
        i === openAt ? (
          <OpenHit
            key={keyOf(group.first)}
            group={group}
            wanted={wanted}
            onWant={setWanted}
            onChoose={onChoose}
          />
        ) : (
          <HitRow key={keyOf(group.first)} group={group} onOpen={() => setWanted(keyOf(group.first))} />
        ),
      )}
    </div>
  )
}

interface OpenProps {
  readonly group: HitGroup
  readonly wanted: string | null
  readonly onWant: (key: string) => void
  readonly onChoose: Props['onChoose']
}

/** The whole of one hit; of several that differ in nothing but their time, one, and the times of the others. */
function OpenHit({ group: { first, hits }, wanted, onWant, onChoose }: OpenProps) {
  const times = useTimes()
  const hit = hits.find(one => keyOf(one) === wanted) ?? first
  return (
    <HitCard hit={hit} onChoose={onChoose && hit.kind === 'delivery' ? () => onChoose(hit.id) : null}>
      {hits.length > 1 && (
        <p className="mt-1 flex flex-wrap items-baseline gap-x-3 text-[0.95rem]">
          <span className="text-ink-2">
            <Often hits={hits} />:
          </span>
          {hits.map(one => (
            <button
              key={keyOf(one)}
              type="button"
              aria-pressed={one === hit}
              title={one.subject}
              aria-label={`${one.subject}, ${times.full(one.at)}`}
              onClick={() => onWant(keyOf(one))}
              className={clsx(
                'border-b',
                one === hit ? 'border-ink font-bold' : 'border-current text-petrol',
              )}
            >
              {times.short(one.at)}
            </button>
          ))}
        </p>
      )}
    </HitCard>
  )
}

const week = 7 * 86_400_000

function Often({ hits }: { hits: readonly WhereHit[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const oldest = hits.reduce((least, { at }) => (at < least ? at : least), hits[0]?.at ?? '')
  return Date.now() - Date.parse(oldest) < week
    ? t('whereabouts.hit.timesThisWeek', { count: hits.length })
    : t('whereabouts.hit.timesSince', { count: hits.length, day: times.day(oldest) })
}

/** Two lines: what it is, and where it is now. */
function HitRow({ group: { first: hit, hits }, onOpen }: { group: HitGroup; onOpen: () => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  const here = hereOf(hit)
  const subject = hit.subject || t('whereabouts.refusedSubject')
  const detail = here ? stopDetails(here, hit.fromAddress, t)[0] : undefined
  return (
    <article aria-label={subject} tabIndex={-1}>
      <button
        type="button"
        onClick={onOpen}
        className="grid w-full grid-cols-[minmax(0,1fr)_auto] gap-x-4 rounded-md border border-line bg-sheet px-4 py-1.5 text-left hover:border-petrol"
      >
        <span className="truncate">
          <b>{subject}</b>{' '}
          <span className="text-ink-2">
            {hit.fromName} <span className="font-mono text-[0.92em]">{hit.fromAddress}</span>
          </span>
        </span>
        <span className="text-[0.92rem] text-ink-2">
          {hit.kind === 'outbound' ? t('whereabouts.outbound') : t(`whereabouts.label.${hit.label}`)}
        </span>
        <span className="col-span-2 flex min-w-0 items-baseline gap-2 text-[0.95rem]">
          {here && (
            <>
              <StopDot tone={toneOf(here.kind)} />
              <span className="font-semibold whitespace-nowrap">{t(`whereabouts.stop.${here.kind}`)}</span>
            </>
          )}
          <span className="truncate text-ink-2">
            {[
              times.short(hit.at),
              ...(detail ? [detail] : []),
              ...(hit.to === '' ? [] : [t('whereabouts.to', { to: hit.to })]),
            ].join(' · ')}
          </span>
          {hits.length > 1 && (
            <span className="ml-auto font-semibold whitespace-nowrap text-amber">
              <Often hits={hits} />
            </span>
          )}
        </span>
      </button>
    </article>
  )
}
