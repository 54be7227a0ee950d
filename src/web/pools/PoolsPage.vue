<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { PoolsPage } from '../../contract/pools'
import JobSteps from '../journal/JobSteps.vue'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { exact, plural, size, when } from '../kit/format'
import OutcomeStem from '../kit/OutcomeStem.vue'
import PageState from '../kit/PageState.vue'
import { addressOf, call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import PoolProof from './PoolProof.vue'

type Pool = PoolsPage['pools'][number]
type Host = Pool['hosts'][number]
type Kind = 'fetch' | 'restart' | 'leftovers'
const route = useRoute()
const router = useRouter()
const session = useSession()
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['pools'],
  queryFn: ({ signal }) => call('pools', {}, signal),
  placeholderData: keepPreviousData,
})
const pool = computed(
  () =>
    data.value?.pools.find(({ id }) => id === route.query['pool']) ??
    data.value?.pools.find(({ ready, hosts }) => ready < hosts.length) ??
    data.value?.pools[0],
)
const onlyOpen = ref(false)
const hosts = computed(() => (pool.value?.hosts ?? []).filter(({ toDo }) => !onlyOpen.value || toDo.length > 0))
const columns: Column<Host>[] = [
  { key: 'host', title: 'Host', sort: (h) => h.host },
  { key: 'ready', title: 'Ready', sort: (h) => Number(h.ready) },
  { key: 'zone', title: 'Zone', sort: (h) => h.zone },
  { key: 'sessions', title: 'Sessions', number: true, sort: (h) => h.sessions },
  { key: 'agent', title: 'Agent', sort: (h) => h.agentVersion },
  { key: 'toDo', title: 'To do', sort: (h) => h.toDo.length },
  { key: 'reported', title: 'Reported', sort: (h) => h.reportedMs },
]
const weight = (w: string) => ({ now: 'madder', soon: 'ochre', tidy: 'stone' })[w] ?? ''
const leftovers = computed(() => (pool.value?.hosts ?? []).flatMap(({ host, leftovers: found }) => found.map((one) => ({ host, ...one }))))
const waiting = computed(() => (pool.value?.hosts ?? []).filter(({ toDo }) => toDo.some(({ code }) => code === 'restart')))
const sure = ref<Kind | null>(null)
const jobId = ref<string | null>(null)
const {
  mutate,
  error: refused,
  isPending: asking,
} = useMutation({
  mutationFn: (kind: Kind) => call('poolJob', { params: { id: pool.value?.id ?? '' }, body: { kind } }),
  onSuccess: ({ id }) => {
    jobId.value = id
    sure.value = null
  },
})
function choose(id: string): void {
  jobId.value = null
  sure.value = null
  void router.replace({ query: { ...route.query, pool: id } })
}
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>
        {{
          plural(
            data.pools.reduce((sum, one) => sum + one.hosts.length, 0),
            'host',
          )
        }}
        in {{ plural(data.pools.length, 'pool') }}
      </h1>
      <p v-if="data.pools.length === 0" class="quiet">No pool is known. The directory import gives them (org.json).</p>
      <ul class="pools" aria-label="Pools">
        <li v-for="one in data.pools" :key="one.id" :class="{ on: one.id === pool?.id }">
          <button type="button" :aria-pressed="one.id === pool?.id" @click="choose(one.id)">
            <OutcomeStem :outcome="one.ready === one.hosts.length ? 'ready' : 'degraded'" :height="18" /><span
              ><strong>{{ one.name }}</strong> <span class="quiet">{{ one.verdict }}</span></span
            >
          </button>
        </li>
      </ul>
      <template v-if="pool">
        <h2>{{ pool.name }}: its hosts, against version {{ data.version }} of the policy</h2>
        <div class="toolbar">
          <a :href="addressOf('poolsExport')" download>Export CSV</a>
          <label><input v-model="onlyOpen" type="checkbox" /> only those with something to do</label>
        </div>
        <DataTable
          :columns="columns"
          :rows="hosts"
          :row-key="(h) => h.host"
          label="Hosts"
          :empty="onlyOpen ? 'Nothing is to be done on any of them.' : 'No host of this pool is known.'"
        >
          <template #host="{ row }"
            ><RouterLink class="mono" :to="{ path: '/logons', query: { host: row.host } }">{{ row.host }}</RouterLink></template
          >
          <template #ready="{ row }"><OutcomeStem :outcome="row.ready ? 'ready' : 'degraded'" /> {{ row.ready ? 'ready' : 'not ready' }}</template>
          <template #zone="{ row }">{{ row.zone }}</template>
          <template #sessions="{ row }">{{ row.sessions }}</template>
          <template #agent="{ row }"
            ><span class="mono">{{ row.agentVersion }}</span></template
          >
          <template #toDo="{ row }"
            ><div v-for="one in row.toDo" :key="one.code" :class="weight(one.weight)">{{ one.sentence }}</div></template
          >
          <template #reported="{ row }"
            ><span v-if="row.reportedMs" class="nowrap" :title="exact(row.reportedMs)">{{ when(row.reportedMs) }}</span
            ><span v-else class="quiet">never</span></template
          >
        </DataTable>
      </template>
    </section>
    <aside v-if="pool" class="margin" aria-label="About the chosen pool">
      <h2>What is not the same everywhere</h2>
      <p v-if="pool.unlike.length === 0" class="quiet">Nothing: settings, agent and image are the same on all hosts that reported.</p>
      <div v-for="one in pool.unlike" :key="one.what" class="unlike">
        <strong>{{ one.what }}</strong>
        <div v-for="value in one.values" :key="value.value" class="small">
          {{ value.value }}
          <span class="quiet" :title="value.hosts.join(', ')"
            >on {{ value.hosts.length > 3 ? plural(value.hosts.length, 'host') : value.hosts.join(', ') }}</span
          >
        </div>
      </div>
      <PoolProof v-if="pool.mode === 'container'" :key="pool.id" :pool="pool" />
      <h2>What can be done</h2>
      <p v-if="!session.isAdministrator" class="quiet small">Your role does not include this.</p>
      <BButton variant="outline-secondary" class="go" :disabled="!session.isAdministrator || asking" @click="mutate('fetch')"
        >Let all {{ pool.hosts.length }} fetch their settings now</BButton
      >
      <template v-if="waiting.length">
        <BButton variant="outline-secondary" class="go" :disabled="!session.isAdministrator" @click="sure = 'restart'"
          >Restart those that wait for it…</BButton
        >
        <div v-if="sure === 'restart'" class="sure">
          <p class="small">
            {{ plural(waiting.length, 'host') }}, one after another;
            <strong
              >{{
                plural(
                  waiting.reduce((sum, { sessions }) => sum + sessions, 0),
                  'session',
                )
              }}
              on them will be logged off</strong
            >.
          </p>
          <BButton variant="primary" :disabled="asking" @click="mutate('restart')">Restart</BButton>
        </div>
      </template>
      <template v-if="leftovers.length">
        <BButton variant="outline-secondary" class="go" :disabled="!session.isAdministrator" @click="sure = 'leftovers'"
          >Remove local profiles…</BButton
        >
        <div v-if="sure === 'leftovers'" class="sure">
          <p class="small">
            They stand in the way of containers. <strong>What is in them is gone afterwards</strong>; look first whether anybody needs it.
          </p>
          <ul class="small">
            <li v-for="one in leftovers" :key="one.host + one.person">
              <RouterLink class="plum" :to="`/people/${encodeURIComponent(one.person)}`">{{ one.person }}</RouterLink> on
              <span class="mono">{{ one.host }}</span>, {{ size(one.bytes)
              }}<span v-if="one.lastUsedMs" class="quiet">, last used {{ when(one.lastUsedMs) }}</span>
            </li>
          </ul>
          <BButton variant="primary" :disabled="asking" @click="mutate('leftovers')">Remove {{ plural(leftovers.length, 'local profile') }}</BButton>
        </div>
      </template>
      <p v-if="refused" class="madder" role="alert">{{ problemWords(refused) }}</p>
      <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
    </aside>
  </div>
</template>

<style scoped>
.pools {
  list-style: none;
  padding: 0;
  margin: 0 0 12px;
}
.pools li {
  border-top: 1px solid var(--hair);
}
.pools li:last-child {
  border-bottom: 1px solid var(--hair);
}
.pools button {
  all: unset;
  box-sizing: border-box;
  display: grid;
  grid-template-columns: 30px minmax(0, 1fr);
  width: 100%;
  padding: 6px 10px;
  cursor: pointer;
}
.pools button:hover,
.on {
  background: var(--paper-2);
}
.pools button:focus-visible {
  outline: 2px solid var(--indigo);
  outline-offset: -2px;
}
.on {
  box-shadow: inset 3px 0 0 var(--ink);
}
.unlike {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
}
.sure ul {
  padding-left: 16px;
}
</style>
