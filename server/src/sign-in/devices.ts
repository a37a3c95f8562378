import { Op } from 'sequelize'
import type { Device } from '@pendro/contract'
import { inTransaction, type Database } from '../db/database.ts'
import { Sessions } from '../db/models/people.ts'
import { findAll, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type OpenSession } from './sessions.ts'

/** Where somebody is signed in, newest use first. */
export async function devicesOf(db: Database, who: OpenSession, now: Date): Promise<Device[]> {
  const rows = await findAll(
    db,
    Sessions,
    { staffer_id: who.staffer.id, expires_at: { [Op.gt]: now } },
    {
      columns: ['number', 'opened_at', 'used_at', 'agent'],
      order: [['used_at', 'DESC']],
      limit: 100,
    },
  )
  return rows.map(({ number: id, opened_at, used_at, agent }) => ({
    id,
    openedAt: opened_at.toISOString(),
    usedAt: used_at.toISOString(),
    agent,
    own: id === who.number,
  }))
}

/** Signs somebody out on one device of theirs. */
export function endDeviceOf(db: Database, who: OpenSession, number: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    if ((await remove(db, Sessions, { staffer_id: who.staffer.id, number }, tx)) === 0)
      throw new AppError('DEVICE_NOT_FOUND')
    await writeRecord(db, tx, [{ act: 'device-ended', at: now, by: actor(who) }])
  })
}
