import type { SettingChange } from '@pendro/contract'
import { select, type Database, type Tx } from '../db/database.ts'
import { MailboxAddresses } from '../db/models/organisation.ts'
import type { Organisation } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { checkDepartments } from '../staffers/departments.ts'

type Addresses = Extract<SettingChange, { what: 'addresses' }>['to']
type Provider = Extract<SettingChange, { what: 'identity-provider' }>['to']
type OwnPages = Extract<SettingChange, { what: 'own-pages' }>['to']
type Peers = Extract<SettingChange, { what: 'peers' }>['to']
type Gateways = Extract<SettingChange, { what: 'gateways' }>['to']
type Outgoing = Extract<SettingChange, { what: 'outgoing' }>['to']
type Routes = Extract<SettingChange, { what: 'routes' }>['to']
type Value = Pick<SettingChange, 'what' | 'to'>

/**
 * Throws where a setting would not fit what else there is: an address of Pendro that is somebody's mailbox, a postmaster
 * that is nobody's, an own domain taken away from under an address of Pendro. Asked at a change and at an undo alike.
 */
export async function checkSetting(
  db: Database,
  organisation: Organisation,
  { what, to }: Value,
  tx?: Tx,
): Promise<void> {
  if (what === 'own-domains') checkDomains(organisation, to as string[])
  if (what === 'addresses') await checkAddresses(db, organisation, to as Addresses, tx)
  if (what === 'peers') checkPeers(organisation, to as Peers)
  if (what === 'gateways') checkGateways(organisation, to as Gateways)
  if (what === 'outgoing') await checkOutgoing(db, organisation, to as Outgoing, tx)
  if (what === 'routes') checkRoutes(organisation, to as Routes)
  if (what === 'own-pages') await checkOwnPages(db, organisation, to as OwnPages, tx)
  if (what === 'identity-provider') await checkProvider(db, organisation, to as Provider, tx)
}

/** With nobody listed and everybody else refused no mail would come in at all. */
function checkPeers({ policy }: Organisation, { others }: Peers): void {
  if (others === 'refused' && (policy.gateways ?? []).length === 0) throw new AppError('GATEWAYS_FIRST')
}

function checkGateways({ peers }: Organisation, { networks }: Gateways): void {
  if (peers?.others === 'refused' && networks.length === 0) throw new AppError('GATEWAYS_FIRST')
}

/** What is taken has to go somewhere, and an address that copies come to is nobody's. */
async function checkOutgoing(
  db: Database,
  { routes, digestAddress, reportAddress, helpAddress }: Organisation,
  { mode, journal }: Outgoing,
  tx?: Tx,
): Promise<void> {
  if (mode === 'relay' && (routes?.smartHosts ?? []).length === 0) throw new AppError('SMART_HOST_FIRST')
  if (mode === 'copy' && journal === '') throw new AppError('JOURNAL_FIRST')
  if (journal === '') return
  const known = await findOne(db, MailboxAddresses, { address: journal }, { columns: ['address'], tx })
  if (known || [digestAddress, reportAddress, helpAddress].includes(journal))
    throw new AppError('ADDRESS_OF_MAILBOX', { addresses: journal })
}

function checkRoutes({ outgoing }: Organisation, { smartHosts }: Routes): void {
  if (outgoing?.mode === 'relay' && smartHosts.length === 0) throw new AppError('SMART_HOST_FIRST')
}

async function checkOwnPages(
  db: Database,
  { ownPages }: Organisation,
  { departments }: OwnPages,
  tx?: Tx,
): Promise<void> {
  const names = departments.map(({ department }) => department)
  const known = (ownPages?.departments ?? []).map(({ department }) => department)
  if (names.length > 0) await checkDepartments(db, names, tx, known)
}

/** Departments are those there are; passwords are off only where a steward can come back to switch them on. */
async function checkProvider(
  db: Database,
  { identityProvider }: Organisation,
  { grants, passwords, issuer }: Provider,
  tx?: Tx,
): Promise<void> {
  const known = (identityProvider?.grants ?? []).flatMap(({ departments }) => departments ?? [])
  for (const { departments } of grants) await checkDepartments(db, departments, tx, known)
  if (passwords) return
  const [steward] = await select<{ id: number }>(
    db,
    `SELECT s.id FROM staffers s JOIN staffer_identities y ON y.staffer_id = s.id
     WHERE s.role = 'steward' AND s.departments IS NULL AND s.suspended_at IS NULL AND TRIM(TRAILING '/' FROM y.issuer) = :issuer LIMIT 1`,
    { issuer: issuer.replace(/\/+$/, '') },
    tx,
  )
  if (!steward) throw new AppError('PROVIDER_FIRST')
}

function checkDomains(
  { digestAddress, reportAddress, helpAddress, postmaster, outgoing }: Organisation,
  to: readonly string[],
): void {
  const stranded = [digestAddress, reportAddress, helpAddress, postmaster, outgoing?.journal].filter(
    (address): address is string => Boolean(address) && !to.includes(domainOf(address ?? '')),
  )
  if (stranded.length > 0)
    throw new AppError('ADDRESS_STAYS', { addresses: [...new Set(stranded)].join(', ') })
}

async function checkAddresses(
  db: Database,
  { outgoing }: Organisation,
  { digests, reports, help, postmaster }: Addresses,
  tx?: Tx,
): Promise<void> {
  const given = [digests, reports, help, postmaster].filter(address => address !== '')
  if (given.length === 0) return
  const rows = await select<{ address: string }>(
    db,
    'SELECT address FROM mailbox_addresses WHERE address IN (:given)',
    { given },
    tx,
  )
  const known = new Set(rows.map(({ address }) => address))
  const isTaken = (address: string) => address !== '' && (known.has(address) || address === outgoing?.journal)
  const taken = [digests, reports, help].filter(isTaken)
  if (taken.length > 0) throw new AppError('ADDRESS_OF_MAILBOX', { addresses: taken.join(', ') })
  if (postmaster !== '' && !known.has(postmaster))
    throw new AppError('NO_POSTMASTER', { address: postmaster })
}

const domainOf = (address: string) => address.slice(address.lastIndexOf('@') + 1)
