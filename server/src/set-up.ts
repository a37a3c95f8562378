import type { Role } from '@pendro/contract'
import type { Limits } from '@pendro/core/judgement'
import { inTransaction, type Database } from './db/database.ts'
import { MailboxAddresses, Mailboxes, Minders, Organisations } from './db/models/organisation.ts'
import { Staffers } from './db/models/people.ts'
import { idAt, insert } from './db/rows.ts'
import type { Organisation } from './db/organisation.ts'
import { hashPassword } from './sign-in/passwords.ts'

export interface MailboxPlan {
  readonly address: string
  readonly aliases: readonly string[]
  readonly name: string
  readonly kind: 'person' | 'shared' | 'list'
  readonly department: string
  readonly timeZone: string
  readonly language: string
  readonly limits?: Limits
  readonly usesSetAside?: boolean
  readonly filtering?: boolean
  /** Addresses of the colleagues who mind a shared or list mailbox. */
  readonly minders?: readonly string[]
}

export interface StafferPlan {
  readonly name: string
  readonly signIn: string
  readonly role: Role
  readonly password: string
  /** Left out: all of them. */
  readonly departments?: readonly string[]
}

/**
 * Fills an empty database with an organisation, its mailboxes and its staff, in one transaction.
 * The organisation has the number 1, so that a second set-up hits the key and changes nothing.
 */
export async function setUp(
  db: Database,
  plan: {
    readonly organisation: Organisation
    readonly mailboxes: readonly MailboxPlan[]
    readonly staffers: readonly StafferPlan[]
  },
): Promise<ReadonlyMap<string, number>> {
  const { name, timeZone, ...settings } = plan.organisation
  const staffers = await Promise.all(
    plan.staffers.map(async ({ name, signIn, role, password, departments = null }) => ({
      name,
      sign_in: signIn,
      role,
      departments,
      password: await hashPassword(password),
    })),
  )
  return inTransaction(db, async tx => {
    await insert(db, Organisations, [{ id: 1, name, time_zone: timeZone, settings }], tx)
    const ids = await insert(db, Mailboxes, plan.mailboxes.map(mailboxRow), tx)
    const byAddress = new Map(plan.mailboxes.map((m, i) => [m.address, idAt(ids, i)]))
    const numberOf = (address: string) => {
      const id = byAddress.get(address)
      if (id === undefined) throw new Error(`${address} is to mind a mailbox and is none itself`)
      return id
    }
    await insert(
      db,
      MailboxAddresses,
      plan.mailboxes.flatMap((m, i) =>
        [m.address, ...m.aliases].map(address => ({ address, mailbox_id: idAt(ids, i) })),
      ),
      tx,
    )
    await insert(
      db,
      Minders,
      plan.mailboxes.flatMap((m, i) =>
        (m.minders ?? []).map(minder => ({ mailbox_id: idAt(ids, i), minder_id: numberOf(minder) })),
      ),
      tx,
    )
    await insert(db, Staffers, staffers, tx)
    return byAddress
  })
}

const mailboxRow = (plan: MailboxPlan) => ({
  address: plan.address,
  name: plan.name,
  kind: plan.kind,
  department: plan.department,
  time_zone: plan.timeZone,
  language: plan.language,
  limit_junk: plan.limits?.junk ?? null,
  limit_quarantined: plan.limits?.quarantined ?? null,
  limit_near_certain: plan.limits?.nearCertain ?? null,
  uses_set_aside: plan.usesSetAside ?? false,
  filtering: plan.filtering ?? true,
})
