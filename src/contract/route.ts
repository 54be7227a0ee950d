import type { z } from 'zod'
import type { Role } from './other'

/** Who may call a route: anybody, a signed-in role (each includes the one before it), or a token made for that scope. */
export type Permission = 'anybody' | Role | 'token evidence' | 'token agent' | 'token directory'

export interface Route {
  readonly method: 'GET' | 'POST' | 'PUT' | 'DELETE'
  readonly path: string
  readonly permission: Permission
  /** What it does, for the reader of the API. */
  readonly sentence: string
  readonly params?: z.ZodType
  readonly query?: z.ZodType
  readonly body?: z.ZodType
  /** Absent where the answer is not JSON (a stream, a file) or the body is handled by hand. */
  readonly response?: z.ZodType
}
