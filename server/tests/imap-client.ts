import { execFile } from 'node:child_process'
import { promisify } from 'node:util'
import { ImapFlow } from 'imapflow'

const run = promisify(execFile)

/** A mail program of a colleague’s at a store: signed in by the store’s account for all mailboxes. */
export const mailProgram = (port: number, user: string, password: string) =>
  new ImapFlow({
    host: '127.0.0.1',
    port,
    secure: false,
    doSTARTTLS: false,
    auth: { user: 'pendro', pass: password, authzid: user },
    logger: false,
  })

/** What a mail program sees: subjects by folder; a folder with nothing in it is left out. Signs in, and out again. */
export async function subjectsByFolder(client: ImapFlow): Promise<Record<string, string[]>> {
  await client.connect()
  const found: Record<string, string[]> = {}
  for (const { path, flags } of await client.list()) {
    // Only the way to folders within it (RFC 9051 §6.3.9).
    if (flags.has('\\Noselect') || flags.has('\\NonExistent')) continue
    const box = await client.mailboxOpen(path, { readOnly: true })
    if (box.exists === 0) continue
    found[path] = (await client.fetchAll('1:*', { envelope: true })).map(
      ({ envelope }) => envelope?.subject ?? '',
    )
  }
  await client.logout()
  return found
}

const byImaplib = `
import email.header, email.parser, imaplib, json, sys
port, who, user, password, folder = sys.argv[1:]
client = imaplib.IMAP4('127.0.0.1', int(port))
client.authenticate('PLAIN', lambda _: '\\0'.join([who, user, password]).encode())
client.select('"%s"' % folder, readonly=True)
found = []
for number in client.search(None, 'ALL')[1][0].split():
    head = client.fetch(number, '(BODY.PEEK[HEADER])')[1][0][1]
    subject = email.parser.BytesParser().parsebytes(head)['Subject']
    found.append(str(email.header.make_header(email.header.decode_header(subject))))
client.logout()
print(json.dumps(found))
`

/** Subjects of a folder as a second reader has them: Python's imaplib and email. */
export async function subjectsByImaplib(
  port: number,
  { user, password, folder }: { readonly user: string; readonly password: string; readonly folder: string },
): Promise<string[]> {
  const { stdout } = await run('python3', ['-c', byImaplib, String(port), user, 'pendro', password, folder])
  return JSON.parse(stdout) as string[]
}

const byMailbox = `
import json, mailbox, sys
box = mailbox.Maildir(sys.argv[1], create=False)
folders = {'INBOX': box, **{name: box.get_folder(name) for name in box.list_folders()}}
print(json.dumps({name: sorted(str(one['Subject']) for one in folder) for name, folder in folders.items() if len(folder) > 0}))
`

/** Subjects by folder as they lie on the disk, read by Python's mailbox (Maildir). */
export async function subjectsOnDisk(maildir: string): Promise<Record<string, string[]>> {
  const { stdout } = await run('python3', ['-c', byMailbox, maildir])
  return JSON.parse(stdout) as Record<string, string[]>
}
