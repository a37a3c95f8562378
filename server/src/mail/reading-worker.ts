import { parseMessage } from '@pendro/core/message'

/** Runs in a worker thread: one message in, what was read of it out. */
export default parseMessage
