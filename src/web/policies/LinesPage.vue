<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, watch } from 'vue'
import { LINE_CLASSES, lineClasses, readinessFor, settingOf, type LineSample } from '../../core/policies'
import { count, duration, percent, plural } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import PolicyViews from './PolicyViews.vue'
import { usePolicies } from './set'
import { useStretches } from './stretches'

/** Measured lines of the last 30 days: which class sessions fall into, who flips between two, and whether hosts and clients can do without the relay. */
const { page, set } = usePolicies()
const { columns, isPending, error, refetch } = useStretches()
const { data: policy } = useQuery({ queryKey: ['policy'], queryFn: () => call('policy', {}) })
const { data: gone } = useQuery({ queryKey: ['ways'], queryFn: () => call('ways', {}) })
const ways = computed(() => {
  const list = gone.value?.ways ?? []
  return list.map((way) => ({ ...way, all: list.filter(({ network }) => network === way.network).reduce((sum, { logons }) => sum + logons, 0) }))
})
/** The networks that most come from, beside each other. */
const besides = computed(() => {
  const networks = [...new Set(ways.value.filter(({ network }) => network !== '').map(({ network }) => network))].slice(0, 4)
  return networks.length < 2 ? null : { path: '/logons/compare', query: { one: networks.map((network) => `network:${network}`), window: '7d' } }
})
const limits = reactive({ lowKbps: 256, mediumKbps: 512, farMs: 250, lineMarginPercent: 20 })
watch(
  set,
  (fresh) => {
    for (const name of Object.keys(limits) as (keyof typeof limits)[]) limits[name] = Number(fresh?.base[name] ?? settingOf(name)?.default)
  },
  { immediate: true },
)
const measured = computed(() => {
  const c = columns.value
  if (!c) return null
  const byPerson = new Map<number, { network: number; sample: LineSample }[]>()
  c.person.forEach((person, i) => {
    const [kbps, rtt] = [c.kbps[i] ?? -1, c.rttMs[i] ?? -1]
    if (kbps < 0 || rtt < 0) return
    const one = { network: c.network[i] ?? 0, sample: { bandwidthKbps: kbps, rttMs: rtt } }
    const list = byPerson.get(person)
    if (list) list.push(one)
    else byPerson.set(person, [one])
  })
  return byPerson
})
const classed = computed(() => {
  const c = columns.value
  if (!measured.value || !c) return null
  const networks = c.networks.map((name) => ({ name, counts: [0, 0, 0], kbps: [] as number[], rtt: [] as number[] }))
  const flips: { person: string; changes: number; changesPlain: number; sessions: number; network: string }[] = []
  for (const [person, list] of measured.value) {
    const samples = list.map(({ sample }) => sample)
    const { classes, changes } = lineClasses(samples, limits)
    classes.forEach((name, i) => {
      const network = networks[list[i]?.network ?? 0]
      const at = LINE_CLASSES.indexOf(name)
      if (network) network.counts[at] = (network.counts[at] ?? 0) + 1
      network?.kbps.push(list[i]?.sample.bandwidthKbps ?? 0)
      network?.rtt.push(list[i]?.sample.rttMs ?? 0)
    })
    if (changes > 0)
      flips.push({
        person: c.people[person] ?? '',
        changes,
        changesPlain: lineClasses(samples, { ...limits, lineMarginPercent: 0 }).changes,
        sessions: samples.length,
        network: c.networks[list[0]?.network ?? 0] ?? '',
      })
  }
  const middle = (list: number[]) => list.sort((a, b) => a - b)[list.length >> 1] ?? 0
  return {
    networks: networks
      .filter(({ counts }) => counts.some((n) => n > 0))
      .map(({ name, counts, kbps, rtt }) => ({ name, counts, all: counts.reduce((a, b) => a + b, 0), kbps: middle(kbps), rtt: middle(rtt) })),
    flips: flips.sort((a, b) => b.changes - a.changes),
  }
})
const speed = (kbps: number) => (kbps >= 1000 ? `${count(Math.round(kbps / 1000))} Mbit/s` : `${count(kbps)} kbit/s`)
const needs = reactive({ agent: '1.4.0', client: '2.11' })
const clients = computed(() => {
  const c = columns.value
  const counts = new Map<string, number>()
  c?.client.forEach((at) => counts.set(c.clients[at] ?? '', (counts.get(c.clients[at] ?? '') ?? 0) + 1))
  return [...counts]
    .map(([client, sessions]) => ({
      client,
      sessions,
      readiness: readinessFor(needs, needs.agent, client.split(' ')[1] || null, { title: '', on: true }),
    }))
    .sort((a, b) => b.sessions - a.sessions)
})
const hosts = computed(() =>
  (policy.value?.hosts ?? []).filter(({ agentVersion }) => !readinessFor(needs, agentVersion, needs.client, { title: '', on: true }).ready),
)
/** Where the two settings that matter here are switched on. */
const switched = computed(() =>
  ['callOffload', 'transport'].map((id) => ({
    title: settingOf(id)?.title ?? id,
    base: String(set.value?.base[id] ?? settingOf(id)?.default),
    by: (set.value?.policies ?? [])
      .filter(({ settings, state }) => id in settings && state === 'on')
      .map(({ id: policyId, name, settings }) => ({ policyId, name, value: String(settings[id]) })),
  })),
)
</script>

<template>
  <PageState v-if="!columns || !page" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>Lines</h1>
      <PolicyViews />
      <p v-if="!classed || classed.networks.length === 0" class="quiet">No line was measured yet.</p>
      <template v-else>
        <div class="toolbar">
          <label>low below <input v-model.number="limits.lowKbps" class="form-control num" type="number" aria-label="Low below" /> kbit/s</label>
          <label
            >medium below <input v-model.number="limits.mediumKbps" class="form-control num" type="number" aria-label="Medium below" /> kbit/s</label
          >
          <label>far beyond <input v-model.number="limits.farMs" class="form-control num" type="number" aria-label="Far beyond" /> ms</label>
          <label>margin <input v-model.number="limits.lineMarginPercent" class="form-control num" type="number" aria-label="Margin" /> %</label>
        </div>
        <table class="plain" aria-label="Sessions by line">
          <thead>
            <tr>
              <th>Network</th>
              <th class="number">Low</th>
              <th class="number">Medium</th>
              <th class="number">Full</th>
              <th class="number">Bandwidth, middle</th>
              <th class="number">Round trip, middle</th>
              <th class="bar"></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="network in classed.networks" :key="network.name">
              <td>{{ network.name || 'not known' }}</td>
              <td v-for="(n, i) in network.counts" :key="i" class="number">{{ percent(n / network.all) }}</td>
              <td class="number">{{ speed(network.kbps) }}</td>
              <td class="number">{{ count(Math.round(network.rtt)) }} ms</td>
              <td>
                <svg width="120" height="10" role="img" :aria-label="`low ${percent((network.counts[0] ?? 0) / network.all)}`">
                  <rect width="120" height="10" fill="var(--ghost)" />
                  <rect :width="(120 * (network.counts[0] ?? 0)) / network.all" height="10" fill="var(--madder)" />
                  <rect
                    :x="(120 * (network.counts[0] ?? 0)) / network.all"
                    :width="(120 * (network.counts[1] ?? 0)) / network.all"
                    height="10"
                    fill="var(--ochre)"
                  />
                </svg>
              </td>
            </tr>
          </tbody>
        </table>
        <p class="small quiet">
          Each stretch of a session counts once, by the line that was measured then. A line goes down a class at once, and up only beyond the margin.
        </p>
        <template v-if="ways.length">
          <h2>Which way they really go</h2>
          <table class="plain" aria-label="Ways">
            <thead>
              <tr>
                <th>Network</th>
                <th>Way</th>
                <th class="number">Logons, 7 days</th>
                <th class="number">Of that network</th>
                <th class="number">Connect, middle</th>
                <th class="number">Lost time</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="way in ways" :key="way.network + way.transport">
                <td>{{ way.network || 'not known' }}</td>
                <td>
                  <RouterLink :to="{ path: '/logons', query: { network: way.network, transport: way.transport, window: '7d' } }">{{
                    way.transport === 'relay' ? 'over the relay' : way.transport
                  }}</RouterLink>
                </td>
                <td class="number">{{ count(way.logons) }}</td>
                <td class="number">{{ percent(way.logons / way.all) }}</td>
                <td class="number">{{ way.connectMs === null ? '–' : duration(way.connectMs) }}</td>
                <td class="number">{{ percent(way.lost / way.logons) }}</td>
              </tr>
            </tbody>
          </table>
          <p class="small quiet">
            As the evidence of each logon says, not as the policy wishes.
            <RouterLink v-if="besides" :to="besides">Networks side by side on the bench</RouterLink>
          </p>
        </template>
        <h2>Who flips between two classes</h2>
        <p v-if="classed.flips.length === 0" class="moss">Nobody.</p>
        <table v-else class="plain" aria-label="Who flips">
          <thead>
            <tr>
              <th>Person</th>
              <th>Network</th>
              <th class="number">Changes</th>
              <th class="number">Without a margin</th>
              <th class="number">Of so many stretches</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in classed.flips.slice(0, 15)" :key="one.person">
              <td>
                <RouterLink class="mono" :to="`/people/${one.person}`">{{ one.person }}</RouterLink>
              </td>
              <td>{{ one.network }}</td>
              <td class="number">{{ one.changes }}</td>
              <td class="number quiet">{{ one.changesPlain }}</td>
              <td class="number">{{ one.sessions }}</td>
            </tr>
          </tbody>
        </table>
        <p v-if="classed.flips.length > 15" class="quiet small">and {{ classed.flips.length - 15 }} more</p>
      </template>
      <h2>Ready for direct transport, and for calls at the client</h2>
      <div class="toolbar">
        <label>agent from <input v-model="needs.agent" class="form-control num" aria-label="Agent from" /></label>
        <label>client from <input v-model="needs.client" class="form-control num" aria-label="Client from" /></label>
      </div>
      <p v-if="hosts.length === 0" class="moss">Every host has an agent that can.</p>
      <p v-else>
        {{ plural(hosts.length, 'host') }} cannot:
        <span v-for="(host, i) in hosts.slice(0, 12)" :key="host.host"
          ><template v-if="i">, </template><span class="mono">{{ host.host }}</span> ({{ host.agentVersion ?? 'no report' }})</span
        >
      </p>
      <table class="plain" aria-label="Clients">
        <thead>
          <tr>
            <th>Client</th>
            <th class="number">Stretches</th>
            <th>Can</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in clients" :key="one.client">
            <td>{{ one.client.trim() || 'not known' }}</td>
            <td class="number">{{ count(one.sessions) }}</td>
            <td :class="one.readiness.ready ? 'moss' : 'ochre'">{{ one.readiness.ready ? 'yes' : one.readiness.lacks.join(' ') }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <aside class="margin" aria-label="Settings that matter here">
      <h2>Settings that matter here</h2>
      <div v-for="one in switched" :key="one.title">
        <p>
          <strong>{{ one.title }}</strong><br />base: {{ one.base
          }}<template v-for="by in one.by" :key="by.policyId"
            ><br /><RouterLink :to="`/policies/order/${by.policyId}`">{{ by.name }}</RouterLink
            >: {{ by.value }}</template
          >
        </p>
      </div>
      <p class="small quiet">
        256 and 512 kbit/s are common practice. Which versions an agent and a client need is for you to say; nothing here is from a maker’s list.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.bar {
  width: 130px;
}
</style>
