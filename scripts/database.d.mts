export interface RunningDatabase {
  readonly port: number
  readonly socket: string
  readonly pid: number
  readonly sql: (text: string, database?: string) => string
  readonly url: (database: string) => string
  readonly stop: () => Promise<void>
}
export function startDatabase(
  folder: string,
  options?: { bufferPool?: string; port?: number; databases?: readonly string[]; lasting?: boolean },
): Promise<RunningDatabase>
export function findDatabase(folder: string): ((database: string) => string) | null
export function freePort(): Promise<number>
