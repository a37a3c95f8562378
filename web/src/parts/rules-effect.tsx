import type { ReactNode } from 'react'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { RulesEffect as Effect } from '@pendro/contract'
import { useNumbers, useTimes } from '../app/times.ts'
import { Sentence } from './sentence.tsx'
import { listFormat } from '../app/formats.ts'

type Place = Effect['moves'][number]['from']

const placeText = ({ state, folder }: Place, t: TFunction): string => t(`mailRules.at.${state}`, { folder })

/** What a change of mail rules would have done: in a sentence, where from and where to, and the mail itself. */
export function RulesEffect({ effect, said }: { effect: Effect; said: 'rule' | 'order' | 'without' }) {
  const { t, i18n } = useTranslation()
  const { looked, of, days, matched, changed, wantedHeld, harmfulLetIn, moves, examples } = effect
  const { number } = useNumbers()
  const list = listFormat(i18n.language, 'conjunction')
  const sentences = [
    said === 'rule'
      ? t('mailRules.effect.said', {
          count: matched,
          looked: number(looked),
          days,
          changed: number(changed),
        })
      : t(`mailRules.effect.${said}`, { count: changed, days }),
    ...(moves.length === 0
      ? []
      : [
          `${list.format(
            moves.map(({ from, to, deliveries }) =>
              t('mailRules.effect.move', {
                count: deliveries,
                from: placeText(from, t),
                to: placeText(to, t),
              }),
            ),
          )}.`.replace(/^./u, first => first.toUpperCase()),
        ]),
    ...(wantedHeld > 0 ? [t('mailRules.effect.wantedHeld', { count: wantedHeld })] : []),
    ...(harmfulLetIn > 0 ? [t('mailRules.effect.harmfulLetIn', { count: harmfulLetIn })] : []),
    ...(looked < of ? [t('mailRules.effect.newest', { looked: number(looked), of: number(of) })] : []),
  ]
  return (
    <>
      <p>
        <Sentence text={sentences.join(' ')} />
      </p>
      {examples.length > 0 && (
        <>
          <h4 className="mt-3 mb-1 font-bold text-ink-2">{t('mailRules.effect.examples')}</h4>
          <ul className="max-h-72 overflow-y-auto" tabIndex={0} aria-label={t('mailRules.effect.examples')}>
            {examples.map(example => (
              <Example key={example.deliveryId} example={example} />
            ))}
          </ul>
        </>
      )}
    </>
  )
}

function Example({ example }: { example: Effect['examples'][number] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { deliveryId, from, subject, receivedAt, was, would, decidedBy } = example
  const isMoved = was.state !== would.state || was.folder !== would.folder
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-4 border-t border-line py-1 max-[639px]:grid-cols-1">
      <span className="truncate">
        <Link to={`/review/${deliveryId}`} className="border-b border-line-strong hover:border-current">
          {subject || '–'}
        </Link>{' '}
        <span className="text-ink-2">
          {from} · {times.short(receivedAt)}
        </span>
      </span>
      <Whither>
        {isMoved
          ? t('mailRules.effect.goes', { from: placeText(was, t), to: placeText(would, t) })
          : whyNot(decidedBy)
            ? t('mailRules.effect.staysBecause', {
                place: placeText(would, t),
                why: t(`mailRules.effect.why.${decidedBy}`),
              })
            : t('mailRules.effect.stays', { place: placeText(would, t) })}
      </Whither>
    </li>
  )
}

const whyNot = (decidedBy: string): boolean =>
  ['harm', 'binding', 'personal', 'organisation'].includes(decidedBy)

const Whither = ({ children }: { children: ReactNode }) => (
  <span className="text-[0.92rem] text-ink-2">{children}</span>
)
