import { z } from 'zod'

/** `forgotten`: the lab knows no such ticket. */
export type LabAnswer = 'waiting' | 'clean' | 'harmful' | 'unknown' | 'forgotten'

/** An attachment lab: takes bytes, gives a ticket, and later a verdict. Rejects when it does not answer. */
export interface Lab {
  readonly hand: (content: Uint8Array) => Promise<string>
  readonly ask: (ticket: string) => Promise<LabAnswer>
}

const handed = z.object({ ticket: z.string().min(1).max(200) })
const answered = z.object({ verdict: z.enum(['waiting', 'clean', 'harmful', 'unknown']) })

export function createLab(url: string): Lab {
  const call = async (path: string, init: RequestInit): Promise<unknown> => {
    const response = await fetch(url + path, { ...init, signal: AbortSignal.timeout(10_000) })
    // Read or not, a body that is left lying keeps its connection.
    if (!response.ok) await response.body?.cancel()
    if (response.status === 404) return null
    if (!response.ok) throw new Error(`the lab answered ${response.status}`)
    return response.json()
  }
  return {
    hand: async content =>
      handed.parse(await call('/inspections', { method: 'POST', body: Buffer.from(content) })).ticket,
    ask: async ticket => {
      const told = await call(`/inspections/${encodeURIComponent(ticket)}`, {})
      return told === null ? 'forgotten' : answered.parse(told).verdict
    },
  }
}
