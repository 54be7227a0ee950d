import type { Settings } from '../../contract/other'
import type { HostPlan } from '../directory/larkmere'

export interface Session {
  readonly person: string
  readonly session: string
  readonly host: string
  readonly sinceMs: number
  state: 'active' | 'disconnected'
  /** When the person stops working, or comes back where disconnected. */
  turnsMs: number
  /** Since when it is connected or not. */
  onMs: number
  disconnectedMs: number | null
  /** The facts it began with, and what is in force for it. */
  readonly facts: Readonly<Record<string, unknown>>
  policy: { version: number; values: Record<string, unknown> } | null
  readonly messages: string[]
}

/** Settings that only a start of the host brings into force. */
const AT_START: readonly (keyof Settings)[] = ['containers', 'diskFormat']

/** A simulated host: power, sessions, and the settings that its agent has fetched. */
export class Host {
  power: 'on' | 'off' | 'starting' = 'on'
  draining = false
  answers = true
  version: number | null = null
  inForce: Partial<Settings> = {}
  pending: (keyof Settings)[] = []
  /** This host loses one setting whenever it fetches: its rebuild went wrong. */
  drifted = false
  agentVersion = '1.4.0'
  /** Whom this desktop is for, where it is one person's. */
  assigned: string | null = null
  /** When it was built, or built anew. */
  builtMs: number | null = null
  admins: { account: string; kind: 'person' | 'group'; people?: number; sinceMs: number }[] = []
  /** Local profiles that somebody left before containers came. */
  leftovers: { person: string; bytes: number; lastUsedMs: number }[] = []
  /** What sessions without a container wrote here, by person. */
  readonly localWords = new Map<string, Record<string, string>>()
  #fetched: Settings | null = null
  readonly sessions = new Map<string, Session>()

  constructor(readonly plan: HostPlan) {}

  /** Takes fetched settings into force, as far as that needs no restart. */
  fetch(version: number, settings: Settings): void {
    const firstTime = this.version === null
    this.#fetched = settings
    this.version = version
    const entries = Object.entries(settings) as [keyof Settings, never][]
    const waiting = firstTime
      ? []
      : entries
          .filter(([name, value]) => AT_START.includes(name) && JSON.stringify(this.inForce[name]) !== JSON.stringify(value))
          .map(([name]) => name)
    const now = Object.fromEntries(entries.filter(([name]) => !waiting.includes(name)))
    this.inForce = { ...this.inForce, ...now }
    this.pending = waiting
    if (this.drifted) delete this.inForce.locations
  }

  start(): void {
    this.power = 'on'
    this.answers = true
    if (!this.#fetched) return
    this.drifted = false
    this.inForce = { ...this.#fetched }
    this.pending = []
  }
}
