import type { FastifyReply, FastifyRequest } from 'fastify'
import type { Input, Output, Request, RouteName } from '../../contract/routes'
import type { Role } from '../../contract/other'
import type { Disks } from '../containers/disks'
import type { Scanning } from '../containers/scan'
import type { Attention } from '../db/attention'
import type { Database } from '../db/database'
import type { Evidence } from '../logons/evidence'
import type { Fleet } from '../pools/fleet'
import type { Jobs } from '../journal/jobs'
import type { Live } from './live'

export interface Config {
  readonly organisation: string
  readonly timeZone: string
  readonly demo: boolean
  readonly dataFolder: string
}

/** What every wing of the server works with. */
export interface Context {
  readonly config: Config
  readonly database: Database
  readonly attention: Attention
  readonly evidence: Evidence
  readonly live: Live
  readonly fleet: Fleet
  readonly disks: Disks
  readonly scanning: Scanning
  readonly jobs: Jobs
  /** The current moment; tests give another. */
  readonly now: () => number
}

export interface Caller {
  readonly name: string
  readonly fullName: string
  readonly role: Role
  readonly csrf: string
  readonly tokenHash: string
}

export interface Call<N extends RouteName> {
  readonly input: Request<N>
  /** The signed-in administrator; a token's name and the role `viewer` where a token called. */
  readonly caller: Caller
  readonly request: FastifyRequest
  readonly reply: FastifyReply
}

type Answer<N extends RouteName> = Input<N> extends never ? never : Output<N> extends never ? unknown : Output<N>
/** One function for each route of a wing. */
export type Handlers<N extends RouteName> = { [K in N]: (call: Call<K>) => Promise<Answer<K>> | Answer<K> }
