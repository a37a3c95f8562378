import { partyLikeness, trigrams, type TypedParty } from '@pendro/core/whereabouts'
import { select, type Database } from '../db/database.ts'
import type { Scope } from '../db/scope.ts'
import { writtenTo } from '../deliveries/written-to.ts'
import { senderText } from '../intake/index-messages.ts'

/** The time that is looked at. */
export interface Window {
  readonly since: Date
  readonly until: Date
}

export const mostMessages = 300

/** Addresses of senders like the one that was typed, most alike first; `null` when none was. */
export async function sendersLike(
  db: Database,
  scope: Scope,
  typed: TypedParty,
  text: string,
): Promise<readonly string[] | null> {
  if (typed.kind === 'none') return null
  const groups = trigrams(
    typed.kind === 'words' ? typed.words.join(' ') : senderText('', text.trim().slice(0, 400)),
  ).slice(0, 24)
  if (groups.length === 0) return []
  const exactly = await sendersOfWords(db, scope, typed)
  if (exactly.length > 0) return exactly
  const found = await select<{ address: string; name: string }>(
    db,
    `SELECT s.address, s.name FROM (
       SELECT sender_id, COUNT(*) AS n FROM sender_trigrams WHERE trigram IN (:groups) GROUP BY sender_id ORDER BY n DESC LIMIT 200) t
     JOIN known_senders s ON s.id = t.sender_id`,
    { groups },
  )
  return mostAlike(typed, await theirs(db, scope, found))
}

/** Senders who wrote to somebody of the scope. */
async function theirs<S extends { readonly address: string }>(
  db: Database,
  scope: Scope,
  found: readonly S[],
): Promise<readonly S[]> {
  const known = await writtenTo(
    db,
    scope,
    found.map(({ address }) => address),
  )
  return found.filter(({ address }) => known(address))
}

/** Far worse ones than the best are not meant. */
function mostAlike(
  typed: TypedParty,
  found: readonly { readonly address: string; readonly name: string }[],
): readonly string[] {
  const alike = found
    .map(party => ({ address: party.address, likeness: partyLikeness(typed, party).likeness }))
    .filter(({ likeness }) => likeness >= 0.45)
    .sort((a, b) => b.likeness - a.likeness)
  const least = (alike[0]?.likeness ?? 0) - 0.25
  return [...new Set(alike.filter(({ likeness }) => likeness >= least).map(({ address }) => address))].slice(
    0,
    60,
  )
}

/** Senders that have each typed word as it stands; none when a word is misspelt. */
async function sendersOfWords(db: Database, scope: Scope, typed: TypedParty): Promise<readonly string[]> {
  if (typed.kind !== 'words') return []
  const query = fullText(typed.words, true)
  if (query === '' || typed.words.some(word => word.length < 3)) return []
  const found = await select<{ address: string; name: string }>(
    db,
    'SELECT address, name FROM known_senders WHERE MATCH (words) AGAINST (:query IN BOOLEAN MODE) LIMIT 200',
    { query },
  )
  return mostAlike(typed, await theirs(db, scope, found))
}

/** A full-text query in which what was typed can be no operator. Words of fewer than three letters are not indexed. */
function fullText(words: readonly string[], all: boolean): string {
  const usable = words.flatMap(word => word.split(/[^\p{L}\p{N}]+/u)).filter(word => word.length >= 3)
  return [...new Set(usable)]
    .sort((a, b) => b.length - a.length)
    .slice(0, 8)
    .map(word => `${all ? '+' : ''}${word}*`)
    .join(' ')
}

/** Full-text queries for some words, the strictest first: with each of them, with any of them. */
export const queriesFor = (words: readonly string[]): readonly string[] =>
  [fullText(words, true), fullText(words, false)].filter(query => query !== '')
