import { ImapFlow } from 'imapflow'

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
  for (const { path } of await client.list()) {
    const box = await client.mailboxOpen(path, { readOnly: true })
    if (box.exists === 0) continue
    found[path] = (await client.fetchAll('1:*', { envelope: true })).map(
      ({ envelope }) => envelope?.subject ?? '',
    )
  }
  await client.logout()
  return found
}
