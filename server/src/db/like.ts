/** What has a meaning in LIKE, as itself. */
const literal = (text: string) => text.replace(/[\\%_]/g, '\\$&')

/** A pattern of LIKE for what has this text in it. */
export const containing = (text: string): string => `%${literal(text)}%`

/** A pattern of LIKE for what begins with this text. */
export const beginningWith = (text: string): string => `${literal(text)}%`
