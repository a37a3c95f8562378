/**
 * What a thread needs of the process's own flags: the loader that runs TypeScript. Others (`--expose-gc`)
 * are refused in threads.
 */
export const threadFlags: readonly string[] = process.execArgv.flatMap((flag, i, all) =>
  flag === '--import' || flag === '--require' ? [flag, all[i + 1] ?? ''] : [],
)
