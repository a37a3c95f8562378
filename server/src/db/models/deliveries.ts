import type { PathLineShape } from '@pendro/contract'
import { deliveryStates, directions, type DeliveryState } from '@pendro/core/delivery'
import type { Evidence } from '@pendro/core/judgement'
import type { Reason } from './shapes.ts'
import {
  bigSerial,
  bytes,
  chars,
  day,
  decimal,
  flag,
  integer,
  json,
  link,
  maybe,
  model,
  moment,
  oneOf,
  preset,
  primary,
  serial,
  signed,
  text,
} from './columns.ts'

export const Deliveries = model(
  'deliveries',
  {
    purpose: 'A message in a mailbox: where it is, its score, why',
    grows: 'a row a delivery',
    ends: 'as expired after its days; its row after the days of headers',
  },
  {
    id: bigSerial(),
    message_id: link('messages'),
    mailbox_id: link('mailboxes'),
    address_used: text(320),
    received_at: moment(),
    received_day: day(),
    expires_at: moment(),
    state: oneOf(...deliveryStates),
    bound_for: maybe(oneOf('inbox', 'aside', 'junk', 'released', 'quarantined', 'moved', 'discarded')),
    came_from: maybe(oneOf('junk', 'quarantined', 'aside', 'moved', 'sealed')),
    score: decimal(4, 1),
    left_out: flag(),
    landed_at: maybe(moment()),
    from_name: text(255),
    from_address: text(320),
    subject: text(500),
    reasons: json<readonly Reason[]>(),
    attachments: integer({ size: 'tiny' }),
    cluster_key: chars(32),
    rank_base: preset(decimal(7, 2)),
    rank_score: preset(decimal(7, 2)),
    digest_id: maybe(link('digests')),
    folder: maybe(text(120)),
    points: preset(oneOf(...directions)),
    kept_until: maybe(moment()),
    rule_holds: maybe(oneOf('let-in', 'junk', 'discarded')),
    rule_places: maybe(oneOf('inbox', 'moved', 'aside')),
    important: preset(flag()),
    /** Where it would have been kept, had mail been held back; `null` where it was, or would have gone on anyway. */
    would: maybe(oneOf('junk', 'quarantined', 'discarded')),
  },
)

export const DeliveryJudgements = model(
  'delivery_judgements',
  {
    purpose: 'Evidence and decision path of a delivery',
    grows: 'a row a delivery',
    ends: 'with its delivery',
  },
  {
    delivery_id: primary(link('deliveries')),
    evidence: json<readonly Evidence[]>(),
    path: json<readonly PathLineShape[]>(),
    /** Number of the change that set the weights it was judged by; 0: the shipped ones. */
    weights: preset(integer()),
  },
)

export const ReviewCounts = model(
  'review_counts',
  {
    purpose: 'Deliveries by day, state and score band, kept by triggers',
    grows: 'a row a day, state and band',
    ends: 'never',
  },
  {
    received_day: primary(day()),
    state: primary(text<DeliveryState>(12)),
    bin: primary(integer({ size: 'tiny' })),
    n: signed(),
  },
)

export const Clusters = model(
  'clusters',
  {
    purpose: 'How many deliveries have nearly the same text, and what rulings moved them by',
    grows: 'a row a text',
    ends: 'never',
  },
  {
    cluster_key: primary(chars(32)),
    deliveries: integer(),
    shift: preset(decimal(7, 2)),
  },
)

export const ClusterTexts = model(
  'cluster_texts',
  {
    purpose: 'Texts that clusters of near-duplicates are told by, and the cluster each is of',
    grows: 'a row a text unlike the others',
    ends: '93 days after it was last met',
  },
  {
    id: serial(),
    text_key: chars(32),
    cluster_key: chars(32),
    sketch: bytes('varbinary(2048)'),
    seen_at: moment(),
  },
)

export const ClusterBands = model(
  'cluster_bands',
  {
    purpose: 'What near texts have in common: sixteen hashes a text',
    grows: 'sixteen rows a text',
    ends: 'with its text',
  },
  {
    band: primary(integer({ size: 'tiny' })),
    hash: primary(integer()),
    text_id: primary(link('cluster_texts')),
  },
)

export const Outbox = model(
  'outbox',
  {
    purpose: 'What is to be sent: deliveries, digests, answers, letters',
    grows: 'a row a thing to send',
    ends: 'two weeks after it was done',
  },
  {
    id: bigSerial(),
    kind: oneOf(
      'delivery',
      'digest',
      'answer',
      'welcome',
      'code',
      'letter',
      'reply',
      'invitation',
      'relay',
      'return',
    ),
    subject_id: integer({ size: 'big' }),
    place: text(20),
    attempts: preset(integer()),
    next_at: moment(),
    claimed_until: maybe(moment()),
    done_at: maybe(moment()),
    problem: preset(text(500)),
    /** The last try may have arrived all the same. */
    unsure: preset(flag()),
  },
)
