// Reads each bait by each reader and says whose turn it is: whoever started this gives up when a turn takes too long.
import { baits, readers } from './baits.ts'

const length = Number(process.argv[2] ?? 100_000)
for (const [name, read] of Object.entries(readers)) {
  process.stdout.write(`${name}\n`)
  for (const bait of baits(length))
    try {
      await read(bait)
    } catch (error) {
      // Reading may refuse, never with anything but an answer.
      process.stdout.write(
        `! ${name} threw ${String(error).slice(0, 200)} for ${JSON.stringify(bait.slice(0, 30))}\n`,
      )
    }
}
process.stdout.write('done\n')
