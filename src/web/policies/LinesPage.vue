<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, reactive, watch } from 'vue'
import { LINE_CLASSES, lineClasses, readinessFor, sayValueOf, settingOf, type LineSample, type Readiness } from '../../core/policies'
import DataTable, { type Column } from '../kit/DataTable.vue'
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
const limitIn = (policies: typeof set.value, name: keyof typeof limits) => Number(policies?.base[name] ?? settingOf(name)?.default)
// As the policies have them, until another one is tried.
watch(
  set,
  (fresh, before) => {
    for (const name of Object.keys(limits) as (keyof typeof limits)[])
      if (!before || limits[name] === limitIn(before, name)) limits[name] = limitIn(fresh, name)
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
function sayValue(id: string, value: unknown): string {
  const setting = settingOf(id)
  return setting ? sayValueOf(setting, value) : String(value)
}
const sayWay = (transport: string) => (transport === 'relay' ? 'over the relay' : transport)
const sayReadiness = ({ ready, lacks }: Readiness) => (ready ? 'yes' : lacks.join(' '))
const inPercent = (part: number) => Math.round(1000 * part) / 10
/** A row of a list. */
type Of<T extends { value: unknown }> = T['value'] extends readonly (infer R)[] ? R : never
type Classed = NonNullable<typeof classed.value>
const networkColumns: Column<Classed['networks'][number]>[] = [
  { key: 'network', title: 'Network', sort: ({ name }) => name },
  ...LINE_CLASSES.map((name, i) => ({
    key: name,
    title: name[0]?.toUpperCase() + name.slice(1),
    number: true,
    sort: ({ counts, all }: Classed['networks'][number]) => inPercent((counts[i] ?? 0) / all),
    unit: '%',
  })),
  { key: 'kbps', title: 'Bandwidth, middle', number: true, sort: ({ kbps }) => kbps, unit: 'kbit/s' },
  { key: 'rtt', title: 'Round trip, middle', number: true, sort: ({ rtt }) => rtt, unit: 'ms' },
  { key: 'bar', title: '' },
]
const wayColumns: Column<Of<typeof ways>>[] = [
  { key: 'network', title: 'Network', sort: ({ network }) => network },
  { key: 'way', title: 'Way', sort: ({ transport }) => sayWay(transport) },
  { key: 'logons', title: 'Logons, 7 days', number: true, sort: ({ logons }) => logons },
  { key: 'part', title: 'Of that network', number: true, sort: ({ logons, all }) => inPercent(logons / all), unit: '%' },
  { key: 'connect', title: 'Connect, middle', number: true, sort: ({ connectMs }) => connectMs, unit: 'ms' },
  { key: 'lost', title: 'Lost time', number: true, sort: ({ lost, logons }) => inPercent(lost / logons), unit: '%' },
]
const flipColumns: Column<Classed['flips'][number]>[] = [
  { key: 'person', title: 'Person', sort: ({ person }) => person },
  { key: 'network', title: 'Network', sort: ({ network }) => network },
  { key: 'changes', title: 'Changes', number: true, sort: ({ changes }) => changes },
  { key: 'plain', title: 'Without a margin', number: true, sort: ({ changesPlain }) => changesPlain },
  { key: 'sessions', title: 'Of so many stretches', number: true, sort: ({ sessions }) => sessions },
]
const clientColumns: Column<Of<typeof clients>>[] = [
  { key: 'client', title: 'Client', sort: ({ client }) => client },
  { key: 'sessions', title: 'Stretches', number: true, sort: ({ sessions }) => sessions },
  { key: 'can', title: 'Can', sort: ({ readiness }) => sayReadiness(readiness) },
]
/** Where the two settings that matter here are switched on. */
const switched = computed(() =>
  ['callOffload', 'transport'].map((id) => ({
    title: settingOf(id)?.title ?? id,
    base: sayValue(id, set.value?.base[id] ?? settingOf(id)?.default),
    by: (set.value?.policies ?? [])
      .filter(({ settings, state }) => id in settings && state === 'on')
      .map(({ id: policyId, name, settings }) => ({ policyId, name, value: sayValue(id, settings[id]) })),
  })),
)
</script>

<template>
  <PageState v-if="!columns || !page" :loading="isPending" :error="error" what="the sessions of the last 30 days" @retry="refetch()" />
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
        <DataTable
          :columns="networkColumns"
          :rows="classed.networks"
          :row-key="({ name }) => name"
          label="Sessions by line"
          empty="No line was measured yet."
          csv="sessions-by-line"
        >
          <template #network="{ row }">{{ row.name || 'not known' }}</template>
          <template v-for="(name, i) in LINE_CLASSES" :key="name" #[name]="{ row }">{{ percent((row.counts[i] ?? 0) / row.all) }}</template>
          <template #kbps="{ row }">{{ speed(row.kbps) }}</template>
          <template #rtt="{ row }">{{ count(Math.round(row.rtt)) }} ms</template>
          <template #bar="{ row }">
            <svg width="120" height="10" role="img" :aria-label="`low ${percent((row.counts[0] ?? 0) / row.all)}`">
              <rect width="120" height="10" fill="var(--ghost)" />
              <rect :width="(120 * (row.counts[0] ?? 0)) / row.all" height="10" fill="var(--madder)" />
              <rect :x="(120 * (row.counts[0] ?? 0)) / row.all" :width="(120 * (row.counts[1] ?? 0)) / row.all" height="10" fill="var(--ochre)" />
            </svg>
          </template>
        </DataTable>
        <p class="small quiet">
          Each stretch of a session in the last {{ plural(Math.round(columns.days), 'day') }} counts once, by the line that was measured then. A line
          goes down a class at once, and up only beyond the margin.
        </p>
        <template v-if="ways.length">
          <h2>Which way they really go</h2>
          <DataTable
            :columns="wayColumns"
            :rows="ways"
            :row-key="({ network, transport }) => `${network} ${transport}`"
            label="Ways"
            empty="No logon said which way it went."
            csv="ways"
          >
            <template #network="{ row }">{{ row.network || 'not known' }}</template>
            <template #way="{ row }"
              ><RouterLink :to="{ path: '/logons', query: { network: row.network, transport: row.transport, window: '7d' } }">{{
                sayWay(row.transport)
              }}</RouterLink></template
            >
            <template #logons="{ row }">{{ count(row.logons) }}</template>
            <template #part="{ row }">{{ percent(row.logons / row.all) }}</template>
            <template #connect="{ row }">{{ row.connectMs === null ? '–' : duration(row.connectMs) }}</template>
            <template #lost="{ row }">{{ percent(row.lost / row.logons) }}</template>
          </DataTable>
          <p class="small quiet">
            As the evidence of each logon says, not as the policy wishes.
            <RouterLink v-if="besides" :to="besides">Networks side by side on the bench</RouterLink>
          </p>
        </template>
        <h2>Who flips between two classes</h2>
        <p v-if="classed.flips.length === 0" class="moss">Nobody.</p>
        <DataTable
          v-else
          :columns="flipColumns"
          :rows="classed.flips"
          :most="15"
          :row-key="({ person }) => person"
          label="Who flips"
          empty="Nobody."
          csv="who-flips"
        >
          <template #person="{ row }"
            ><RouterLink class="mono" :to="`/people/${encodeURIComponent(row.person)}`">{{ row.person }}</RouterLink></template
          >
          <template #network="{ row }">{{ row.network }}</template>
          <template #changes="{ row }">{{ row.changes }}</template>
          <template #plain="{ row }"
            ><span class="quiet">{{ row.changesPlain }}</span></template
          >
          <template #sessions="{ row }">{{ row.sessions }}</template>
        </DataTable>
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
      <DataTable
        :columns="clientColumns"
        :rows="clients"
        :row-key="({ client }) => client"
        label="Clients"
        empty="No client was told of."
        csv="clients"
      >
        <template #client="{ row }">{{ row.client.trim() || 'not known' }}</template>
        <template #sessions="{ row }">{{ count(row.sessions) }}</template>
        <template #can="{ row }"
          ><span :class="row.readiness.ready ? 'moss' : 'ochre'">{{ sayReadiness(row.readiness) }}</span></template
        >
      </DataTable>
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
