import type { MailRule } from '@pendro/core/mail-rules'

/** Mail rules colleagues made in the months before. All invented. */
export const mailRules: readonly (Omit<MailRule, 'id'> & {
  readonly mailbox: string
  readonly daysAgo: number
})[] = [
  {
    mailbox: 'freight@vindholm.example',
    name: 'Gefahrgut',
    daysAgo: 320,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'matches', text: '*@hafen-nordersiel.example' },
      { field: 'subject', test: 'contains', text: 'gefahrgutmeldung' },
    ],
    action: { kind: 'folder', folder: 'Gefahrgut' },
  },
  {
    mailbox: 'freight@vindholm.example',
    name: 'Hafen Nordersiel',
    daysAgo: 210,
    needs: 'any',
    conditions: [{ field: 'from', test: 'matches', text: '*@hafen-nordersiel.example' }],
    action: { kind: 'inbox' },
  },
  {
    mailbox: 'freight@vindholm.example',
    name: 'Manifests',
    daysAgo: 130,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'contains', text: 'skerry-freight.example' },
      { field: 'subject', test: 'matches', text: 'manifest correction*' },
    ],
    action: { kind: 'folder', folder: 'Manifests/Corrections' },
  },
  {
    mailbox: 'aksel.brandt@vindholm.example',
    name: 'Forecasts',
    daysAgo: 41,
    needs: 'all',
    conditions: [
      { field: 'from', test: 'is', text: 'forecast@havbris.example' },
      { field: 'subject', test: 'contains', text: 'route forecast' },
    ],
    action: { kind: 'folder', folder: 'Weather' },
  },
]
