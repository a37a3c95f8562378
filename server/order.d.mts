/** Folders of server/src; each imports only those before it. */
export const order: readonly string[]
