import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import { expect, test } from 'vitest'

/** Of one reader over some two hundred baits of 30 kB; a grammar that starts over at every character takes minutes. */
const patience = 25_000

// Steps can't be counted inside the engine's regular expressions: a generous deadline a reader stands for them. The
// growth itself, n to 2n to 4n, is measured in bench/hostile.
test(
  'nothing that reads what outsiders write grows faster than what it reads',
  { timeout: 300_000 },
  async () => {
    const child = spawn(
      process.execPath,
      ['--import', 'tsx', fileURLToPath(new URL('./linear/run.ts', import.meta.url)), '30000'],
      { stdio: ['ignore', 'pipe', 'inherit'] },
    )
    const turns: string[] = []
    let timer: NodeJS.Timeout | undefined
    let stuck = ''
    const wait = () => {
      clearTimeout(timer)
      timer = setTimeout(() => {
        stuck = turns.at(-1) ?? 'the start'
        child.kill('SIGKILL')
      }, patience)
    }
    wait()
    child.stdout.on('data', (chunk: Buffer) => {
      turns.push(...chunk.toString('utf8').trim().split('\n'))
      wait()
    })
    await new Promise(resolve => child.once('exit', resolve))
    clearTimeout(timer)
    expect(stuck).toBe('')
    expect(turns.filter(line => line.startsWith('!'))).toEqual([])
    expect(turns.at(-1)).toBe('done')
    expect(turns.length).toBeGreaterThan(40)
  },
)
