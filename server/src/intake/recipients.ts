import { addressText, parseAddress, withoutTag, type Address } from '@pendro/core/address'
import { findRow, select, type Database, type Tx } from '../db/database.ts'
import { organisationNow, type MailboxRow } from '../db/organisation.ts'

/** An address, or `null` for what is none. */
export function readAddress(text: string): Address | null {
  const parsed = parseAddress(text)
  return parsed.ok ? parsed.value : null
}

const postmaster = /^postmaster(@|$)/i

/** RFC 5321 §4.5.1: 'postmaster' without a domain is ours. */
async function withDomain(db: Database, recipient: string, tx?: Tx): Promise<string> {
  if (!/^postmaster$/i.test(recipient)) return recipient
  const organisation = await organisationNow(db, tx)
  return `postmaster@${organisation?.policy.ownDomains[0] ?? 'invalid'}`
}

/** Which mailbox each address belongs to, aliases and tags resolved; unknown addresses are absent. */
export async function resolveRecipients(
  db: Database,
  recipients: readonly string[],
  tx?: Tx,
): Promise<ReadonlyMap<string, number>> {
  const texts = new Map<string, string>()
  for (const recipient of recipients) {
    const address = readAddress(await withDomain(db, recipient, tx))
    if (address) texts.set(recipient, addressText(withoutTag(address)))
  }
  if (texts.size === 0) return new Map()
  // Mail to a closed mailbox goes to whoever it was closed to, and nowhere without one.
  const rows = await select<{ address: string; mailbox_id: number }>(
    db,
    `SELECT a.address, COALESCE(t.id, b.id) AS mailbox_id FROM mailbox_addresses a JOIN mailboxes b ON b.id = a.mailbox_id
     LEFT JOIN mailboxes t ON t.id = b.closed_to_id AND t.closed_at IS NULL
     WHERE a.address IN (:texts) AND (b.closed_at IS NULL OR t.id IS NOT NULL)`,
    { texts: [...new Set(texts.values())] },
    tx,
  )
  const known = new Map(rows.map(row => [row.address, row.mailbox_id]))
  // RFC 5321 §4.5.1: postmaster is always there, whatever its case; somebody reads it.
  for (const [recipient, text] of texts)
    if (postmaster.test(recipient) && !known.has(text)) {
      const mailboxId = await findPostmaster(db, text.slice(text.indexOf('@') + 1), tx)
      if (mailboxId !== null) known.set(text, mailboxId)
    }
  return new Map(
    [...texts].flatMap(([recipient, text]) => {
      const id = known.get(text)
      return id === undefined ? [] : [[recipient, id] as const]
    }),
  )
}

/** The mailbox that gets what is sent to postmaster at one of our domains: the one named for it, else the first. */
async function findPostmaster(db: Database, domain: string, tx?: Tx): Promise<number | null> {
  const organisation = await organisationNow(db, tx)
  if (!organisation?.policy.ownDomains.includes(domain)) return null
  const row = await findRow<{ id: number }>(
    db,
    `SELECT b.id FROM mailboxes b LEFT JOIN mailbox_addresses a ON a.mailbox_id = b.id AND a.address = :wanted
     WHERE b.closed_at IS NULL
     ORDER BY a.address IS NULL, b.id LIMIT 1`,
    { wanted: organisation.postmaster ?? '' },
    tx,
  )
  return row?.id ?? null
}

/** A mailbox that gets a message, and the address that was used for it. */
export interface Recipient {
  readonly mailbox: MailboxRow
  readonly addressUsed: string
}

/** One delivery a mailbox, with the address that was really used; the same mailbox twice counts once. */
export function recipientMailboxes(
  recipients: readonly string[],
  resolved: ReadonlyMap<string, number>,
  mailboxes: ReadonlyMap<number, MailboxRow>,
): readonly Recipient[] {
  const found = new Map<number, Recipient>()
  for (const addressUsed of recipients) {
    const mailbox = mailboxes.get(resolved.get(addressUsed) ?? 0)
    if (mailbox && !found.has(mailbox.id)) found.set(mailbox.id, { mailbox, addressUsed })
  }
  return [...found.values()]
}
