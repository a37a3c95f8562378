import type { Role } from '@pendro/contract'
import type { Limits } from '@pendro/core/judgement'
import { inTransaction, insert, type Database } from './db/database.ts'
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
  const passwords = await Promise.all(plan.staffers.map(({ password }) => hashPassword(password)))
  return inTransaction(db, async tx => {
    await insert(db, 'organisation', [{ id: 1, name, time_zone: timeZone, settings }], tx)
    const ids = await insert(db, 'mailboxes', plan.mailboxes.map(mailboxRow), tx)
    const byAddress = new Map(plan.mailboxes.map((m, i) => [m.address, ids[i] ?? 0]))
    await insert(
      db,
      'mailbox_addresses',
      plan.mailboxes.flatMap((m, i) =>
        [m.address, ...m.aliases].map(address => ({ address, mailbox_id: ids[i] })),
      ),
      tx,
    )
    await insert(
      db,
      'minders',
      plan.mailboxes.flatMap((m, i) =>
        (m.minders ?? []).map(minder => ({ mailbox_id: ids[i], minder_id: byAddress.get(minder) })),
      ),
      tx,
    )
    await insert(
      db,
      'staffers',
      plan.staffers.map((s, i) => ({
        name: s.name,
        sign_in: s.signIn,
        role: s.role,
        password: passwords[i],
      })),
      tx,
    )
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
