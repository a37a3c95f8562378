import { gunzipSync } from 'node:zlib'
import { findLookalike } from '@pendro/core/address'
import { isSharedProvider } from '@pendro/core/judgement'
import { findRow, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { frequentDomains } from '../judging/knowledge.ts'
import type { Reader } from '../reading/reader.ts'
import { translator } from '../wording.ts'
import { fetchPicture, type Picture } from './pictures.ts'

/** The raw bytes of a delivery's message, or `null` when they have gone away. Throws for an unknown delivery. */
export async function findSource(db: Database, id: number): Promise<Buffer | null> {
  const row = await findRow<{ gzip: Buffer | null }>(
    db,
    `SELECT s.gzip FROM deliveries d LEFT JOIN message_sources s ON s.message_id = d.message_id AND d.state <> 'expired'
     WHERE d.id = :id`,
    { id },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  return row.gzip && gunzipSync(row.gzip)
}

export interface ViewOptions {
  readonly form: 'html' | 'text'
  /** Fetch the pictures from their hosts; 'off' in settings means nobody can. */
  readonly pictures: boolean
  readonly pictureSetting: string
}

const mostPictures = 20
const mostPictureBytes = 8_000_000

/** The message as a page of its own for the sandboxed frame: nothing in it can run, load or lead anywhere. */
export async function readSafeView(
  db: Database,
  id: number,
  options: ViewOptions,
  reader: Reader,
): Promise<string> {
  const raw = await findSource(db, id)
  if (!raw) throw new AppError('SOURCE_GONE')
  return viewOf(db, raw, options, reader)
}

/** The same of a message whose bytes are at hand. */
export async function viewOf(
  db: Database,
  raw: Buffer,
  { form, pictures, pictureSetting }: ViewOptions,
  reader: Reader,
): Promise<string> {
  const remote = new Map<string, Picture>()
  const first = await reader.view({ raw, form, warnings: {}, remote })
  if (first === 'too-slow') return page(`<p>${translator('en')('page.tooSlow')}</p>`)
  const warnings = hostWarnings(first.hosts, await knownDomains(db))
  const fetched =
    pictures && pictureSetting !== 'off' && first.remotePictures.length > 0
      ? await fetchPictures(first.remotePictures, pictureSetting)
      : remote
  if (Object.keys(warnings).length === 0 && fetched.size === 0) return page(first.html)
  const view = await reader.view({ raw, form, warnings, remote: fetched })
  return page(view === 'too-slow' ? first.html : view.html)
}

async function fetchPictures(
  urls: readonly string[],
  setting: string,
): Promise<ReadonlyMap<string, Picture>> {
  const standIn = setting === 'on' ? null : setting
  const fetched = await Promise.all(urls.slice(0, mostPictures).map(url => fetchPicture(url, standIn)))
  const pictures = new Map<string, Picture>()
  let size = 0
  fetched.forEach((one, i) => {
    if (!one.ok || size + one.value.content.length > mostPictureBytes) return
    size += one.value.content.length
    pictures.set(urls[i] ?? '', one.value)
  })
  return pictures
}

async function knownDomains(db: Database): Promise<readonly string[]> {
  const { policy } = await readOrganisation(db)
  const frequent = await frequentDomains(db)
  return [...policy.ownDomains, ...frequent.filter(domain => !isSharedProvider(domain, policy))]
}

/** What is odd about a link's host, by host. */
function hostWarnings(hosts: readonly string[], known: readonly string[]): Readonly<Record<string, string>> {
  const t = translator('en')
  return Object.fromEntries(
    hosts.flatMap(host => {
      const match = findLookalike(host, known)
      return match ? [[host, t('page.resembles', { known: match.known })]] : []
    }),
  )
}

export const safeViewHeaders: Readonly<Record<string, string>> = {
  'Content-Security-Policy':
    "default-src 'none'; img-src data:; style-src 'unsafe-inline'; sandbox; frame-ancestors 'self'",
  'Content-Type': 'text/html; charset=utf-8',
  'Referrer-Policy': 'no-referrer',
  'Cache-Control': 'private, no-store',
  'X-Frame-Options': 'SAMEORIGIN',
}

const frameStyle = `
  html { color-scheme: light }
  body { margin: 0; padding: 16px 18px; font: 14px/1.55 system-ui, sans-serif; color: #1E2A30; background: #fff; overflow-wrap: break-word }
  pre { font: inherit; white-space: pre-wrap; overflow-wrap: anywhere; margin: 0 }
  img { max-width: 100%; height: auto }
  table { max-width: 100% }
  /* Where a link goes stands before its text, in a box of its own that nothing of the sender's reaches. */
  [data-target] { unicode-bidi: isolate; border-bottom: 1px dashed #52606A }
  [data-target]::before {
    all: initial !important; content: attr(data-target) !important; display: inline-block !important; max-width: 100% !important;
    box-sizing: border-box !important; direction: ltr !important; unicode-bidi: isolate !important; overflow-wrap: anywhere !important;
    font: 12.5px/1.5 ui-monospace, monospace !important; color: #33434C !important; background: #EEF2F1 !important;
    border: 1px solid #B9C6C4 !important; border-radius: 4px !important; padding: 0 5px !important; margin: 0 5px 0 0 !important
  }
  [data-warn]::before {
    content: attr(data-target) ': ' attr(data-warn) !important; color: #8E2F1B !important; background: #FBEAE4 !important;
    border-color: #A03A22 !important; font-weight: bold !important
  }
`

function page(body: string): string {
  return `<!doctype html><html><head><meta charset="utf-8"><style>${frameStyle}</style></head><body>${body}</body></html>`
}
