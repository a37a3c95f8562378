import type { FindingShape } from '@pendro/contract'
import type { KeptRemedy } from './shapes.ts'
import { integer, json, link, maybe, model, moment, preset, primary, text } from './columns.ts'

export const UpkeepRuns = model(
  'upkeep_runs',
  { purpose: 'When upkeep looked, and who is looking', grows: 'one row', ends: 'never' },
  {
    id: primary(integer({ size: 'tiny' })),
    asked_at: moment(),
    claimed_until: maybe(moment()),
    taken_up: maybe(moment()),
    done_at: maybe(moment()),
    entries: preset(integer()),
    deliveries: preset(integer()),
    problem: preset(text(500)),
  },
)

export const UpkeepFindings = model(
  'upkeep_findings',
  { purpose: 'What upkeep found at its last look', grows: 'a row a finding', ends: 'at the next look' },
  {
    finding_key: primary(text(60)),
    place: integer(),
    kind: text<FindingShape['kind']>(24),
    basis: text(600),
    facts: json<FindingShape['facts']>(),
    remedies: json<readonly KeptRemedy[]>(),
  },
)

export const UpkeepFindingEntries = model(
  'upkeep_finding_entries',
  { purpose: 'Entries a finding is about', grows: 'a few rows a finding', ends: 'with its finding' },
  {
    finding_key: primary(text(60)),
    place: primary(integer({ size: 'small' })),
    entry_id: link('sender_entries'),
  },
)

export const UpkeepAside = model(
  'upkeep_aside',
  {
    purpose: 'Findings that were set aside, with the facts they had then',
    grows: 'a row a finding set aside',
    ends: 'when taken back',
  },
  {
    finding_key: primary(text(60)),
    basis: text(600),
    reason: text(1000),
    by_name: text(200),
    at: moment(),
  },
)
