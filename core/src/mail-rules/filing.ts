import { dollar, quoted } from './sieve-text.ts'

/** Folders of a mail store that have a meaning. */
export interface FilingFolders {
  readonly junk: string
  /** Where what is set aside goes; '' for the inbox. */
  readonly aside: string
}

/** Names to tell Pendro’s part of a script from a colleague’s own. */
const filingMark = '# Pendro: files mail as its fields say (Pendro-Place, Pendro-Folder, Pendro-Important).'

/**
 * The Sieve script (RFC 5228, fileinto §4.1, mailbox RFC 5490 §3.2, variables RFC 5229, imap4flags RFC 5232) by which a mail store files what
 * Pendro hands it: junk, what is set aside, folders of mail rules, marks. The fields are Pendro’s own: it takes away what a sender writes.
 */
export function filingScript({ junk, aside }: FilingFolders): string {
  // Variables are read in strings here: a folder’s own "${" has to stay one (RFC 5229 §3).
  const file = (folder: string) => `fileinto :create ${quoted(folder).replaceAll(dollar, '${dollar}')};`
  return `require ["fileinto", "mailbox", "variables", "imap4flags"];
${filingMark}
set "dollar" "$";
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
