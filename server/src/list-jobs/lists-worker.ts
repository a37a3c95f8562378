import { openDatabase } from '../db/database.ts'
import { runListsJob, type ListsJob } from './lists.ts'

/** Runs in a worker thread, with a connection of its own. */
export default async function work({ job, url }: { job: ListsJob; url: string }): Promise<unknown> {
  const db = openDatabase(url, { poolSize: 3 })
  try {
    return await runListsJob(db, job)
  } finally {
    await db.close()
  }
}
