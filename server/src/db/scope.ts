/** The mailboxes somebody looks after, by number; `null`: all there are, and all that will be. */
export type Scope = readonly number[] | null

/**
 * The condition that keeps a query to a scope; `column` has the mailbox. The numbers stand in the text: no value can be left out by
 * mistake, and they are the database's own.
 */
export function within(scope: Scope, column: string): string {
  if (scope === null) return 'TRUE'
  return scope.length === 0 ? 'FALSE' : `${column} IN (${scope.join(', ')})`
}

/** Whether a mailbox is in a scope. What is nobody's (`null`) is everybody's, and in none but the whole. */
export const isWithin = (scope: Scope, mailboxId: number | null): boolean =>
  scope === null || (mailboxId !== null && scope.includes(mailboxId))
