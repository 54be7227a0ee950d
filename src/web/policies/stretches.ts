import { useQuery } from '@tanstack/vue-query'
import { ref, shallowRef, toRaw, watch, type Ref } from 'vue'
import type { StretchLines } from '../../contract/policies'
import { call } from '../shell/api'

/** Sessions of some days in columns, ordered by person, pool and time: people, pools, networks and clients by their place in the lists. */
export interface StretchColumns {
  readonly people: readonly string[]
  readonly pools: readonly string[]
  readonly networks: readonly string[]
  readonly clients: readonly string[]
  readonly person: readonly number[]
  readonly pool: readonly number[]
  readonly network: readonly number[]
  readonly client: readonly number[]
  readonly onMs: readonly number[]
  readonly offMs: readonly number[]
  /** 1: logged off, or still going on; 0: a pause began. */
  readonly loggedOff: readonly number[]
  readonly rttMs: readonly number[]
  readonly kbps: readonly number[]
  readonly untilMs: number
  /** Over how many days they lie: hosts may have begun to tell of them only lately. At least one. */
  readonly days: number
}

/** Sessions of so many days are looked at, where there are so many. */
const STRETCH_DAYS = 30
const DAY_MS = 86_400_000

/** Lines as they come, as columns. */
export function columnsOf({ lines, networks, clients, fromMs, untilMs }: StretchLines): StretchColumns {
  const people = new Map<string, number>()
  const pools = new Map<string, number>()
  const place = (map: Map<string, number>, name: string) => {
    let at = map.get(name)
    if (at === undefined) map.set(name, (at = map.size))
    return at
  }
  const columns = {
    person: [] as number[],
    pool: [] as number[],
    network: [] as number[],
    client: [] as number[],
    onMs: [] as number[],
    offMs: [] as number[],
    loggedOff: [] as number[],
    rttMs: [] as number[],
    kbps: [] as number[],
  }
  for (const line of lines) {
    const [person, pool] = [place(people, line.person), place(pools, line.pool)]
    const [on, off, network, client, rtt, kbps] = [line.on, line.off, line.network, line.client, line.rtt, line.kbps].map((text) =>
      text.split(',').map(Number),
    )
    for (let i = 0; i < (on?.length ?? 0); i++) {
      const ended = line.ended[i]
      columns.person.push(person)
      columns.pool.push(pool)
      columns.network.push(network?.[i] ?? 0)
      columns.client.push(client?.[i] ?? 0)
      columns.onMs.push(fromMs + (on?.[i] ?? 0) * 1000)
      columns.offMs.push((off?.[i] ?? -1) < 0 ? untilMs : fromMs + (off?.[i] ?? 0) * 1000)
      columns.loggedOff.push(ended === 'd' || ended === 'l' ? 0 : 1)
      columns.rttMs.push(rtt?.[i] ?? -1)
      columns.kbps.push(kbps?.[i] ?? -1)
    }
  }
  const firstMs = columns.onMs.reduce((first, ms) => Math.min(first, ms), untilMs)
  return {
    ...columns,
    people: [...people.keys()],
    pools: [...pools.keys()],
    networks: [...networks],
    clients: [...clients],
    untilMs,
    days: Math.max(1, (untilMs - firstMs) / DAY_MS),
  }
}

/** The sessions of the last days, for pages that replay or count them. */
export function useStretches(wanted: Ref<boolean> = ref(true)) {
  const query = useQuery({
    queryKey: ['stretches'],
    queryFn: ({ signal }) => call('stretches', { query: { days: STRETCH_DAYS } }, signal),
    staleTime: 600_000,
    enabled: wanted,
  })
  const columns = shallowRef<StretchColumns | null>(null)
  watch(query.data, (lines) => (columns.value = lines ? columnsOf(toRaw(lines)) : null), { immediate: true })
  return { ...query, columns }
}
