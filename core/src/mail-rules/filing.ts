import { dollar, quoted } from './sieve-text.ts'

/** Folders of a mail store that have a meaning. */
export interface FilingFolders {
  readonly junk: string
  /** Where what is set aside goes; '' for the inbox. */
  readonly aside: string
}

const filingHead = '# Pendro: files mail as its fields say (Pendro-Place, Pendro-Folder, Pendro-Important).'
const filingNeeds = ['fileinto', 'mailbox', 'variables', 'imap4flags']

/**
 * The Sieve script (RFC 5228, fileinto §4.1, mailbox RFC 5490 §3.2, variables RFC 5229, imap4flags RFC 5232) by which a mail store files what
 * Pendro hands it: junk, what is set aside, folders of mail rules, marks. The fields are Pendro’s own: it takes away what a sender writes.
 */
export const filingScript = (folders: FilingFolders): string =>
  `${requiring(filingNeeds)}${filingHead}\n${filing(folders)}`

const requiring = (needs: readonly string[]): string =>
  `require [${needs.map(name => `"${name}"`).join(', ')}];\n`

function filing({ junk, aside }: FilingFolders): string {
  // Variables are read in strings here: a folder’s own "${" has to stay one (RFC 5229 §3).
  const file = (folder: string) => `fileinto :create ${quoted(folder).replaceAll(dollar, '${dollar}')};`
  return `set "dollar" "$";
if header :is "Pendro-Important" "yes" {
  addflag "\\\\Flagged";
}
if header :is "Pendro-Place" "junk" {
  ${file(junk)}
  stop;
}
${
  aside === ''
    ? ''
    : `if header :is "Pendro-Place" "aside" {
  ${file(aside)}
  stop;
}
`
}if allof (header :is "Pendro-Place" "moved", header :matches "Pendro-Folder" "*") {
  fileinto :create "\${1}";
  stop;
}
`
}

/** Names of the scripts that Pendro keeps in a mailbox. */
export const storeScripts = { active: 'pendro', rules: 'pendro-rules' } as const

/**
 * The script that is active in a mailbox (RFC 5228, include of RFC 6609). It files what Pendro has handed over as its fields say. What reached
 * the store past Pendro goes by the mailbox's rules and is answered by its automatic reply: each message is asked about once. Then comes
 * the colleague’s own script, '' for none.
 */
export const activeScript = (folders: FilingFolders, own: string): string =>
  `${requiring([...filingNeeds, 'include'])}# Pendro keeps this script. What is changed here is shown to the help desk, and not overwritten.
${filing(folders)}# Mail that did not come by Pendro.
if not exists "Pendro-Delivery" {
  include :personal "${storeScripts.rules}";
}
${own === '' ? '' : `# The colleague’s own script.\ninclude :personal :optional ${quoted(own).replaceAll(dollar, '${dollar}')};\n`}`
