import type { Database } from './database'
import type { DatabaseLink } from './open'
import { openServer } from './postgres'
import { databaseOver } from './wire'

/** A worker's own access to the database, from the link that it was given. */
export function openLink(link: DatabaseLink): Database {
  if ('url' in link) return openServer(link.url)
  return databaseOver(link.port, () => {
    link.port.close()
    return Promise.resolve()
  })
}
