/** What of a message may differ from others with nearly the same text. */
export interface Member {
  readonly subject: string
  readonly sender: string
  /** Hosts its links lead to. */
  readonly hosts: readonly string[]
  /** Names of attachments. */
  readonly attachments: readonly string[]
}

/** Values others have and this one does not, most frequent first, and how many different ones there are. */
interface Other {
  readonly count: number
  readonly most: readonly string[]
}

/** What differs between a message and those like it. */
export type Differences = Readonly<Record<'subject' | 'sender' | 'hosts' | 'attachments', Other>>

const shown = 3

/** In what others like a message differ from it. */
export function differences(of: Member, others: readonly Member[]): Differences {
  const valuesOf = (values: (member: Member) => readonly string[]): Other => {
    const own = new Set(values(of).map(fold))
    const found = new Map<string, { text: string; n: number }>()
    for (const other of others) {
      for (const text of new Set(values(other))) {
        const key = fold(text)
        if (key === '' || own.has(key)) continue
        const known = found.get(key)
        found.set(key, { text: known?.text ?? text, n: (known?.n ?? 0) + 1 })
      }
    }
    const most = [...found.values()].sort((a, b) => b.n - a.n || (a.text < b.text ? -1 : 1))
    return { count: most.length, most: most.slice(0, shown).map(({ text }) => text) }
  }
  return {
    subject: valuesOf(({ subject }) => [subject]),
    sender: valuesOf(({ sender }) => [sender]),
    hosts: valuesOf(({ hosts }) => hosts),
    attachments: valuesOf(({ attachments }) => attachments),
  }
}

const fold = (text: string) => text.normalize('NFC').trim().toLowerCase()
