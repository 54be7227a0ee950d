import { observationKey, type Observation } from './observation'

/** Each observation once, by time; ties by what must come first, then by content, so that the order is total. */
export function inOrder(observations: readonly Observation[]): readonly Observation[] {
  if (isInOrder(observations)) return observations
  const keys = new Map<Observation, string>()
  const keyOf = (observation: Observation) => {
    let key = keys.get(observation)
    if (key === undefined) keys.set(observation, (key = observationKey(observation)))
    return key
  }
  const compare = (a: Observation, b: Observation) => {
    const byTime = a.timeMs - b.timeMs || RANK[a.kind] - RANK[b.kind]
    if (byTime !== 0) return byTime
    return keyOf(a) < keyOf(b) ? -1 : keyOf(a) > keyOf(b) ? 1 : 0
  }
  const sorted = [...observations].sort(compare)
  return sorted.filter((observation, index) => index === 0 || compare(sorted[index - 1] ?? observation, observation) !== 0)
}

export function isInOrder(observations: readonly Observation[]): boolean {
  let before: Observation | null = null
  for (const observation of observations) {
    if (before && (before.timeMs > observation.timeMs || (before.timeMs === observation.timeMs && RANK[before.kind] >= RANK[observation.kind])))
      return false
    before = observation
  }
  return true
}

const RANK = { begin: 0, 'phase-begin': 1, phase: 2, mark: 3, 'phase-end': 4, end: 5 } as const
