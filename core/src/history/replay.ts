/** Where a message of before was found, as far as that says what people made of it. */
export type HistoryVerdict = 'wanted' | 'junk' | 'sent'

/** A message of before, read. */
export interface HistoryMessage {
  /** Of its bytes: the same one twice is one. */
  readonly hash: string
  /** Whose it is. */
  readonly mailboxId: number
  /** Keys its sender is counted under: the address, the domain, the mailing list. */
  readonly senders: readonly string[]
  /** Addresses it was sent to. */
  readonly to: readonly string[]
}

/** How often a sender has written, and what became of it. */
interface SenderCounts {
  n: number
  wanted: number
  junk: number
}

/** What messages of before add to what is known; each count is to be added, or taken off by undo. */
export interface Replayed {
  readonly senders: ReadonlyMap<string, Readonly<SenderCounts>>
  /** Letters by mailbox and address. */
  readonly letters: readonly {
    readonly mailboxId: number
    readonly address: string
    readonly domain: string
    readonly n: number
  }[]
  /** Letters by domain. */
  readonly domains: ReadonlyMap<string, number>
}

/**
 * What messages of before teach about senders and correspondence. A sum over messages: in parts or at once, in whatever order, it comes
 * to the same, and taking a message out takes off just what it gave. A message that was kept in the inbox makes its sender known; only its mailing
 * list is called wanted by it, since whoever stays on a list wants it. `verdicts` says of each where it was found; `null` leaves it out.
 */
export function replayHistory<T extends HistoryMessage>(
  messages: Iterable<T>,
  verdicts: (message: T) => HistoryVerdict | null,
): Replayed {
  const met = new Set<string>()
  const senders = new Map<string, SenderCounts>()
  const letters = new Map<string, { mailboxId: number; address: string; domain: string; n: number }>()
  const domains = new Map<string, number>()
  for (const message of messages) {
    const verdict = verdicts(message)
    if (verdict === null || met.has(message.hash)) continue
    met.add(message.hash)
    if (verdict === 'sent') {
      for (const address of new Set(message.to)) {
        const domain = address.slice(address.lastIndexOf('@') + 1)
        const key = `${message.mailboxId} ${address}`
        const known = letters.get(key) ?? { mailboxId: message.mailboxId, address, domain, n: 0 }
        letters.set(key, { ...known, n: known.n + 1 })
        domains.set(domain, (domains.get(domain) ?? 0) + 1)
      }
      continue
    }
    for (const sender of message.senders) {
      const counts = senders.get(sender) ?? { n: 0, wanted: 0, junk: 0 }
      senders.set(sender, counts)
      counts.n += 1
      if (verdict === 'junk') counts.junk += 1
      else if (sender.startsWith('<')) counts.wanted += 1
    }
  }
  return { senders, letters: [...letters.values()], domains }
}
