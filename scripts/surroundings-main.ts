// Everything outside that the demo needs, each behind a port that real software speaks too: the mail store
// and the world behind a smart host (SMTP), a name server for the made-up domains (DNS), the attachment lab, the picture host
// and what takes requests to unsubscribe (HTTP).
import { makeZone } from '@pendro/demo/zone'
import { startAttachmentLab } from '@pendro/stand-ins/attachment-lab'
import { startDns } from '@pendro/stand-ins/dns'
import { startMailStore } from '@pendro/stand-ins/mail-store'
import { startOutsideWorld } from '@pendro/stand-ins/outside-world'
import { startPictureHost } from '@pendro/stand-ins/picture-host'
import { startUnsubscribeHost } from '@pendro/stand-ins/unsubscribe-host'

const port = (name: string) => Number(process.env[name] ?? 0)
const [store, dns, lab, pictures, unsubscribe, world] = await Promise.all([
  startMailStore({ smtpPort: port('PENDRO_STORE_PORT'), httpPort: port('PENDRO_STORE_HTTP_PORT') }),
  startDns(makeZone()),
  startAttachmentLab({ delay: Number(process.env.PENDRO_LAB_DELAY ?? 4000) }),
  startPictureHost(),
  startUnsubscribeHost(),
  startOutsideWorld({ port: port('PENDRO_WORLD_PORT') }),
])
const stop = () =>
  void Promise.all([
    store.stop(),
    dns.stop(),
    lab.stop(),
    pictures.stop(),
    unsubscribe.stop(),
    world.stop(),
  ]).then(() => process.exit(0))
for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, stop)
process.send?.({
  ready: true,
  dns: `127.0.0.1:${dns.port}`,
  lab: `http://127.0.0.1:${lab.port}`,
  pictures: `http://127.0.0.1:${pictures.port}`,
  unsubscribe: `http://127.0.0.1:${unsubscribe.port}`,
})
