import { promisify } from 'node:util'
import { gunzip, gunzipSync } from 'node:zlib'

const unpackElsewhere = promisify(gunzip) as (content: Buffer) => Promise<Buffer>

/** Bytes that are unpacked sooner than handed to another thread and back. */
const soonUnpacked = 128 * 1024

/** The source of a message as it came. `size`: its bytes when unpacked. */
export const unpack = ({
  gzip,
  size,
}: {
  readonly gzip: Buffer
  readonly size: number
}): Buffer | Promise<Buffer> => (size <= soonUnpacked ? gunzipSync(gzip) : unpackElsewhere(gzip))

/** The header of a message, as bytes in latin1 and without the empty line after it; `most`: bytes that are looked at. */
export function headOf(raw: Buffer, most: number): string {
  const head = raw.subarray(0, most).toString('latin1')
  const end = head.search(/\r?\n\r?\n/)
  return end < 0 ? head : head.slice(0, end)
}

/** A moment as the fields of a message give it (RFC 5322 §3.3), in UTC. */
export const mailDate = (at: Date): string => at.toUTCString().replace('GMT', '+0000')
