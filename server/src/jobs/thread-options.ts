import { extname } from 'node:path'

/**
 * The program of a thread beside the file that asks (its `import.meta.url`): TypeScript where that is run from its source,
 * JavaScript where it was built.
 */
export const threadProgram = (name: string, from: string): string =>
  new URL(`./${name}${extname(new URL(from).pathname)}`, from).href

/**
 * What a thread needs of the process's own flags: the loader that runs TypeScript. Others (`--expose-gc`)
 * are refused in threads.
 */
export const threadFlags: readonly string[] = process.execArgv.flatMap((flag, i, all) =>
  flag === '--import' || flag === '--require' ? [flag, all[i + 1] ?? ''] : [],
)
