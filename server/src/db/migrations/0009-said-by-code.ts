/**
 * Sentences that were kept in English become codes with facts; their words are in the wording files. What an older
 * version said in a way we do not know any more is kept as it is, under the code `said`.
 */
const typed = "REGEXP_REPLACE(why, '(?s)^[^“]*“(.*?)”.*$', '\\\\1')"
const number = (column: string) => `CAST(REGEXP_SUBSTR(${column}, '[0-9]+') AS UNSIGNED)`
const code = (name: string, facts = '') => `JSON_OBJECT('code', '${name}', 'facts', JSON_OBJECT(${facts}))`
const quoted = (name: string, fact = 'text') => code(name, `'${fact}', ${typed}`)

/** What a line of an import was told, as a pattern of LIKE, and its code now. */
const lines: readonly (readonly [like: string, said: string])[] = [
  ['The opposite entry of this list ends.', code('ends')],
  ['The same as line %', code('there-line', `'line', ${number('why')}`)],
  ['The list has this entry already.', code('there-entry')],
  [
    'Would change nothing: % decides already.',
    code(
      'covered',
      "'entry', REGEXP_REPLACE(why, '^Would change nothing: (.*) decides already\\\\.$', '\\\\1')",
    ),
  ],
  ['Says the opposite of line %', code('contradicts-line', `'line', ${number('why')}`)],
  [
    'Says the opposite of %',
    code('contradicts-entry', "'entry', REGEXP_REPLACE(why, '^Says the opposite of (.*)\\\\.$', '\\\\1')"),
  ],
  ['Anyone can have an address at this provider.%', code('shared-provider')],
  ['This is one of our own domains.%', code('own-domain')],
  ['This would keep back the organisation’s own mail.%', code('blocks-own-domain')],
  ['Its last day has passed.', code('until-passed')],
  ['“%” is no standing; it is safe or blocked.', quoted('bad-standing')],
  ['“%” is no day; write it as 2026-12-31.', quoted('bad-date')],
  ['This contact can’t be read%', code('bad-card')],
  ['This rule no longer does what its note says%', code('changed-by-hand')],
  ['There is no “pattern” in it.', code('no-text')],
  ['There is no domain in it.%', code('empty-domain')],
  ['“%” is not one organisation%s domain:%', quoted('public-suffix', 'domain')],
  ['“%” is a network address; sender entries name domains.%', quoted('ip-literal')],
  ['“%” can%t be a domain.%', quoted('bad-domain')],
  ['“%” can%t stand before the @ of an address.%', quoted('bad-local')],
  [
    'The part before the @ has % characters; at most % fit.',
    code(
      'too-long',
      `'length', ${number('why')}, 'limit', CAST(REGEXP_REPLACE(why, '^.*at most ([0-9]+) fit.*$', '\\\\1') AS UNSIGNED)`,
    ),
  ],
  ['“%” is no mailing list id:%', quoted('bad-list-id')],
  ['In “%” the star stands where it can%t:%', quoted('star-inside')],
]

const files: readonly (readonly [like: string, said: string])[] = [
  ['There is nothing in this file.', code('empty')],
  ['This is no list: byte %', code('binary', `'byte', ${number('problem')}`)],
  [
    'This can’t be read as JSON: %',
    code(
      'bad-json',
      "'text', REGEXP_REPLACE(problem, '(?s)^This can’t be read as JSON: (.*)\\\\. Expected is .*$', '\\\\1')",
    ),
  ],
  ['Something went wrong on our side%', code('went-wrong')],
  ['Whoever brought this list in is no longer there.', code('staffer-gone')],
]

const cases = (column: string, table: typeof lines) =>
  `CASE WHEN ${column} = '' THEN NULL ${table
    .map(([like, said]) => `WHEN ${column} LIKE '${like}' THEN ${said}`)
    .join(' ')} ELSE ${code('said', `'text', ${column}`)} END`

/** Pairs of evidence that had English in them, as JSON text, and what they are now. */
const pairs: readonly (readonly [from: string, to: string])[] = [
  ['\\["(From|Subject)", ?"stands there more than once"\\]', '["\\\\1","","repeated"]'],
  ['\\["Date", ?"is missing"\\]', '["Date","","absent"]'],
  ['\\["([^"]*)", ?"has ([0-9]+) characters"\\]', '["\\\\1","\\\\2","long"]'],
  ['\\["came in", ?"([^"]*)"\\]', '["","\\\\1","came-in"]'],
  ['\\["([A-Za-z-]+)", ?"\\(none\\)"\\]', '["\\\\1","","absent"]'],
  ['\\["by", ?"same shapes"\\]', '["","","same-shapes"]'],
  ['\\["by", ?"one letter"\\]', '["","","one-letter"]'],
  ['\\["by", ?"name within"\\]', '["","","name-within"]'],
  ['\\["resembles", ?"([^"]*)"\\]', '["","\\\\1","resembles"]'],
]

export const statements: readonly string[] = [
  'ALTER TABLE list_import_lines ADD COLUMN IF NOT EXISTS said JSON NULL AFTER why',
  `UPDATE list_import_lines SET said = ${cases('why', lines)}`,
  'ALTER TABLE list_import_lines DROP COLUMN why, CHANGE COLUMN said why JSON NULL',
  'ALTER TABLE list_imports ADD COLUMN IF NOT EXISTS said JSON NULL AFTER problem',
  `UPDATE list_imports SET said = ${cases('problem', files)}`,
  'ALTER TABLE list_imports DROP COLUMN problem, CHANGE COLUMN said problem JSON NULL',
  ...pairs.map(
    ([from, to]) =>
      `UPDATE delivery_judgements SET evidence = REGEXP_REPLACE(evidence, '${from.replaceAll('\\', '\\\\')}', '${to}') WHERE evidence RLIKE '${from.replaceAll('\\', '\\\\')}'`,
  ),
  ...['outbox', 'digests'].map(
    table =>
      `UPDATE ${table} SET problem = CASE problem WHEN 'the message is gone' THEN 'message-gone' WHEN 'the digest is gone' THEN 'digest-gone' WHEN 'the mailbox is gone' THEN 'mailbox-gone' ELSE 'letter-gone' END
       WHERE problem IN ('the message is gone', 'the digest is gone', 'the mailbox is gone', 'the answer is gone', 'the welcome is gone', 'the code is gone')`,
  ),
]
