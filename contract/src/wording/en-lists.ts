const accepted =
  'You can use an address (anna@x.example), a domain (x.example), a domain and everything under it (*.x.example), or a mailing list (<list-id>).'

/** What is said of typed patterns and of the lines of an imported list, by the code of the problem. */
export const enLists = {
  /** Codes of `PatternProblem`, and `no-sender` for a question about somebody who could not send. */
  pattern: {
    'empty-pattern': `This has no domain. ${accepted}`,
    'empty-domain': `This has no domain. ${accepted}`,
    'public-suffix':
      'Many unrelated organisations share “{{domain}}”. Enter the domain of one of them, such as x.{{domain}}.',
    'ip-literal': `“{{text}}” is an IP address. Sender entries need a domain. ${accepted}`,
    'bad-domain': `“{{text}}” is not a domain. ${accepted}`,
    'no-at-sign': `The part before the @ is not valid: “{{text}}”. ${accepted}`,
    'empty-local': `There is nothing before the @. ${accepted}`,
    'bad-local': `The part before the @ is not valid: “{{text}}”. ${accepted}`,
    'too-long': 'The part before the @ has {{length}} characters; {{limit}} is the most allowed.',
    'bad-list-id': `“{{text}}” is not a mailing list ID. Put a name with dots between the angle brackets, as in the List-Id header. ${accepted}`,
    'star-inside': `A star can only stand at the start, as in *.x.example; here it is inside “{{text}}”. ${accepted}`,
    'no-sender': '“{{text}}” is not a sender. Enter an address such as anna@x.example, or a domain.',
  },
  /** One entry in a few words, after “It is now:”. */
  entrySaid: {
    safe: 'safe',
    blocked: 'blocked',
    binding: 'binding',
    unproven: 'also without proof',
    until: 'until {{day}}',
  },
  listFile: {
    empty: 'This file is empty.',
    binary: 'This is not a text file (byte {{byte}}). If it is a spreadsheet, save it as CSV first.',
    'bad-json':
      'Pendro could not read this as JSON: {{text}}. It needs a list of texts, or of objects with “pattern”.',
    busy: 'Somebody else kept changing this list while it was being taken in. Nothing was added; take it in again.',
    'went-wrong': 'Something went wrong while reading this list. Nothing was added.',
    'staffer-gone': 'Whoever imported this list is no longer there. Nothing was added.',
    /** An import of before, whose reason was kept as a sentence. */
    said: '{{text}}',
  },
  listLine: {
    ends: 'Ends the entry that says the opposite.',
    'there-line': 'The same as line {{line}}.',
    'there-entry': 'Already in the list.',
    covered: 'Changes nothing: {{entry}} already decides.',
    'contradicts-line': 'Says the opposite of line {{line}}.',
    'contradicts-entry': 'Says the opposite of {{entry}}.',
    'shared-provider':
      'Anyone can have an address at this provider. If it is meant, ask a steward to add it by hand, with a reason.',
    'own-domain':
      'This is one of our own domains. If it is meant, ask a steward to add it by hand, with a reason.',
    'blocks-own-domain': 'This would keep back the organisation’s own mail.',
    'until-passed': 'Its end date has passed.',
    'bad-standing': '“{{text}}” is not a standing. Use safe or blocked.',
    'bad-date': '“{{text}}” is not a date Pendro can read. Use the form 2026-12-31.',
    'bad-card': 'Pendro could not read this contact: it is not a complete vCard.',
    'changed-by-hand': 'This rule was changed by hand and no longer does what its note says. Add it by hand.',
    'no-text': 'It has no “pattern”.',
    said: '{{text}}',
  },
} as const
