import { planDirectory, readDirectoryCsv } from '@pendro/core/directory'
import { workerData, type MessagePort } from 'node:worker_threads'
import { readContacts } from '@pendro/core/lists'
import { readRules } from '@pendro/core/mail-rules'
import type { Task } from './reader.ts'
import {
  attachedMessages,
  contentsToInspect,
  matchRules,
  oneAttachment,
  readMessage,
  readPdfWords,
  renderView,
  statusNotification,
} from './reading.ts'
import { checkWith } from './authenticate.ts'
import { createResolver } from './resolver.ts'

// Piscina hands its own data over beside ours, in an order of its own.
const given = [workerData].flat().find((one): one is { dns: string } => typeof one?.dns === 'string')
const resolve = createResolver(given?.dns ?? 'off', () => new Date())

/** Runs in a worker thread: one task in, its result out. Says first that its turn has come. */
export default function work({ begun, ...task }: Task & { begun: MessagePort }): Promise<unknown> {
  begun.postMessage('begun')
  begun.close()
  switch (task.kind) {
    case 'read':
      return readMessage(task.raw)
    case 'view':
      return renderView(task.given)
    case 'attachment':
      return oneAttachment(task.given)
    case 'script':
      return Promise.resolve(readRules(task.given))
    case 'contacts':
      return Promise.resolve(readContacts(task.given))
    case 'plan-directory':
      return Promise.resolve(planDirectory(...task.given))
    case 'directory':
      return Promise.resolve(readDirectoryCsv(task.given))
    case 'rules':
      return Promise.resolve(matchRules(task.given))
    case 'pdf-words':
      return readPdfWords(task.raw)
    case 'to-inspect':
      return contentsToInspect(task.raw)
    case 'attached-messages':
      return attachedMessages(task.raw)
    case 'status-notification':
      return statusNotification(task.raw)
    case 'check':
      return resolve ? checkWith(resolve)(task.given) : Promise.reject(new Error('no name server'))
  }
}
