import { basename, dirname } from 'node:path'
import type { Router } from 'express'
import type { z } from 'zod'
import {
  beginAllHistory,
  beginHistory,
  readHistory,
  resumeHistory,
  stopHistory,
  undoHistory,
  type HistoryVerdictShape,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { select, type Database } from '../db/database.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { mount } from '../http.ts'
import { actor } from '../sign-in/sessions.ts'
import { countLearned, listRuns, type Learning } from './learning.ts'
import { findFolders } from './sources.ts'

/** What the page of learning needs beside the database. */
export interface HistoryView {
  readonly learning: Learning
  /** '' for none. */
  readonly folder: string
}

type Overview = z.input<typeof readHistory.response>
type Run = Awaited<ReturnType<typeof listRuns>>[number]

/** What folders are commonly called (RFC 6154 names them Sent and Junk). */
const verdictNames: readonly (readonly [RegExp, HistoryVerdictShape])[] = [
  [/^\.?sent\b|^\.?(?:sendt|gesendet|wysłane)/i, 'sent'],
  [/^\.?(?:junk|spam)\b|^\.?(?:søppelpost|unerwünscht)/i, 'junk'],
  [/^\.?(?:inbox|archive)\b|^\.?(?:innboks|posteingang|odebrane|cur)/i, 'wanted'],
]

/** 'anna@x.example/sent.mbox' says whose it is and what. */
export function readPath(path: string): {
  readonly address: string | null
  readonly verdict: HistoryVerdictShape | null
} {
  const address = path.split('/').find(part => /^[^@\s]+@[^@\s]+\.[^@\s.]+$/.test(part)) ?? null
  const name = basename(path).includes('@') ? 'inbox' : basename(path)
  const known =
    verdictNames.find(([is]) => is.test(name)) ??
    verdictNames.find(([is]) => is.test(basename(dirname(path))))
  return { address: address?.toLowerCase() ?? null, verdict: known?.[1] ?? null }
}

export function historyRoutes(router: Router, { db, now, history }: Deps): void {
  const learning = () => {
    if (!history) throw new AppError('HISTORY_NOT_FOUND')
    return history.learning
  }
  mount(router, readHistory, () => overview(db, history?.folder ?? '', now()))
  mount(router, beginHistory, async ({ body, who }) => {
    const mailbox = await findMailboxRow(db, body.mailbox)
    if (!mailbox || mailbox.closed_at !== null) throw new AppError('MAILBOX_NOT_FOUND')
    const { verdict, source, password } = body
    const wanted = { mailboxId: mailbox.id, verdict, source, ...(source.kind === 'imap' ? { password } : {}) }
    return { run: await learning().begin(wanted, actor(who)) }
  })
  mount(router, beginAllHistory, async ({ who }) => {
    const { found } = await overview(db, history?.folder ?? '', now())
    let runs = 0
    for (const { path, kind, mailbox, verdict, run } of found) {
      if (mailbox === null || verdict === null || run !== null) continue
      await learning().begin({ mailboxId: mailbox, verdict, source: { kind, path } }, actor(who))
      runs += 1
    }
    return { runs }
  })
  mount(router, resumeHistory, async ({ params, body }) => {
    await learning().resume(params.id, body.password === '' ? undefined : body.password)
    return { ok: true as const }
  })
  mount(router, stopHistory, async ({ params }) => {
    await learning().stop(params.id)
    return { ok: true as const }
  })
  mount(router, undoHistory, async ({ params, who }) => {
    await learning().undo(params.id, actor(who))
    return { ok: true as const }
  })
}

async function overview(db: Database, folder: string, now: Date): Promise<Overview> {
  const [runs, folders, learned] = await Promise.all([
    listRuns(db),
    findFolders(folder).catch(() => []),
    countLearned(db),
  ])
  const read = folders.map(one => ({ ...one, ...readPath(one.path) }))
  const mailboxes = await mailboxesOf(db, [...new Set(read.flatMap(({ address }) => address ?? []))])
  const running = new Map(
    runs.flatMap(run =>
      run.source.kind === 'imap' || run.state === 'undone' ? [] : [[run.source.path, run.id]],
    ),
  )
  return {
    ready: folder !== '',
    learned,
    found: read.map(({ path, kind, bytes, address, verdict }) => ({
      path,
      kind,
      bytes,
      mailbox: address === null ? null : (mailboxes.get(address) ?? null),
      verdict,
      run: running.get(path) ?? null,
    })),
    runs: runs.map(run => shown(run, now)),
  }
}

async function mailboxesOf(db: Database, addresses: readonly string[]): Promise<ReadonlyMap<string, number>> {
  if (addresses.length === 0) return new Map()
  const rows = await select<{ address: string; mailbox_id: number }>(
    db,
    'SELECT address, mailbox_id FROM mailbox_addresses WHERE address IN (:addresses)',
    { addresses },
  )
  return new Map(rows.map(row => [row.address, row.mailbox_id]))
}

/** Longer than a part takes: whoever worked on it does so no more. */
const silentAfter = 30_000

function shown(run: Run, now: Date): Overview['runs'][number] {
  const isSilent = (run.claimed_until?.getTime() ?? 0) < now.getTime() - silentAfter
  const isInterrupted = run.state === 'learning' && run.owner !== '' && isSilent
  return {
    id: run.id,
    at: run.at.toISOString(),
    by: run.by_name,
    name: run.name,
    mailbox: run.mailbox_id,
    verdict: run.verdict,
    kind: run.source.kind,
    state: isInterrupted ? 'interrupted' : run.state,
    taken: run.taken,
    leftOut: run.left_out,
    share: run.total === 0 ? (run.state === 'done' ? 1 : 0) : Math.min(1, run.done / run.total),
    problem: run.problem,
  }
}
