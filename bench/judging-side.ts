// One side of the comparison of judging with the bare MIME library: a round each time the parent asks.
import { judgingSide } from './judging.ts'

const round = await judgingSide(process.argv[2] === 'bare' ? 'bare' : 'ours')
process.on('message', () => void round().then(took => process.send?.(took)))
