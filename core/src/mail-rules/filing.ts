import { dollar, quoted } from './sieve-text.ts'

/** How a mail store names folders within folders: rules have "/" between them, whatever a store has. */
export interface FolderNames {
  /** Between a folder and one within it (RFC 9051 §5.1.1); without it "/". */
  readonly separator?: string
  /** In front of all folders of a mailbox (RFC 2342), such as "INBOX."; without it nothing. */
  readonly prefix?: string
}

/** Folders of a mail store that have a meaning, by the store's names for them. */
export interface FilingFolders extends FolderNames {
  readonly junk: string
  /** Where what is set aside goes; '' for the inbox. */
  readonly aside: string
}

/** A folder of a mail rule as the store names it. */
export const storeFolder = (folder: string, { separator = '/', prefix = '' }: FolderNames): string =>
  `${prefix}${folder.split('/').join(separator)}`

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

/** Folders within folders that are told apart; what is deeper keeps its "/". */
const deepest = 6

/** Files into the folder of the field. Sieve can't replace a character: a pattern for each depth takes the name apart. */
function filingNamed({ separator = '/', prefix = '' }: FolderNames): string {
  const depths = separator === '/' ? [1] : Array.from({ length: deepest }, (_, i) => deepest - i)
  const branches = depths.map(depth => {
    const parts = Array.from({ length: depth }, (_, i) => i + 1)
    const name = parts.map(part => `\${${part}}`).join(plainly(separator))
    return `if header :matches "Pendro-Folder" "${parts.map(() => '*').join('/')}" {
    fileinto :create "${plainly(prefix)}${name}";
    stop;
  }`
  })
  return `if header :is "Pendro-Place" "moved" {
  ${branches.join(' els')}
}
`
}

/** A text within a string that has variables in it. */
const plainly = (text: string): string => quoted(text).slice(1, -1).replaceAll(dollar, '${dollar}')

function filing(folders: FilingFolders): string {
  const { junk, aside } = folders
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
}${filingNamed(folders)}`
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
