import type { SMTPServerDataStream } from 'smtp-server'
import { refusal } from '../intake/smtp-answers.ts'

/** The bytes of a message; throws the refusal of one that is too large. */
export async function readAll(stream: SMTPServerDataStream, maxBytes: number): Promise<Buffer> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of stream as AsyncIterable<Buffer>) {
    size += chunk.length
    // Read on to the end, as the protocol asks, but keep nothing more of it.
    if (size <= maxBytes) chunks.push(chunk)
  }
  if (size > maxBytes) throw refusal('too-large', { limit: maxBytes })
  return Buffer.concat(chunks)
}
