import { spawnSync } from 'node:child_process'

/** One statement by the mariadb client, a process of its own as somebody at a shell would have. */
export function byClient(url: string, sql: string): void {
  const { hostname, port, username, password, pathname } = new URL(url.replace(/^mariadb:/, 'http:'))
  const done = spawnSync(
    'mariadb',
    [
      '--no-defaults',
      `--host=${hostname}`,
      `--port=${port}`,
      `--user=${decodeURIComponent(username)}`,
      `--password=${decodeURIComponent(password)}`,
      pathname.slice(1),
      '-e',
      sql,
    ],
    { encoding: 'utf8' },
  )
  if (done.status !== 0) throw new Error(done.stderr)
}
