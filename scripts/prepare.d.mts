export const root: string
export const dataFolder: string
export function secretsKey(folder: string): string
export function say(text: string): void
export function run(command: string, args: readonly string[], options?: object): void
export function ensurePackages(): void
export function ensurePrograms(names: readonly ('mariadb' | 'chromium')[]): void
export function ensureVectors(): string
export function ensureWeb(): string
