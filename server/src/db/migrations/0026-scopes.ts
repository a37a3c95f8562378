/** Which departments a staffer looks after; NULL: all there are. */
export const statements: readonly string[] = [
  'ALTER TABLE staffers ADD COLUMN IF NOT EXISTS departments JSON NULL',
  'ALTER TABLE staffer_invitations ADD COLUMN IF NOT EXISTS departments JSON NULL',
]
