<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { AdminLine, SessionProof } from '../../contract/policies'
import JobSteps from '../journal/JobSteps.vue'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { count, duration, isoOf, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import PolicyViews from './PolicyViews.vue'

/** What is in force: on hosts, in sessions, on desktops; and time limits that were proven. */
const session = useSession()
const client = useQueryClient()
const { data: policy, isPending, error, refetch } = useQuery({ queryKey: ['policy'], queryFn: () => call('policy', {}) })
const { data: sessions } = useQuery({ queryKey: ['sessions-proof'], queryFn: () => call('sessionsProof', {}), refetchInterval: 10_000 })
const { data: admins } = useQuery({ queryKey: ['local-admins'], queryFn: () => call('localAdmins', {}) })
const { data: proofs } = useQuery({ queryKey: ['limit-proofs'], queryFn: () => call('limitProofs', {}), refetchInterval: 5000 })
const hosts = computed(() => {
  const counts = new Map<string, number>()
  for (const { state } of policy.value?.hosts ?? []) counts.set(state, (counts.get(state) ?? 0) + 1)
  return counts
})
type Odd = Omit<SessionProof, 'effective' | 'facts'>
const columns: Column<Odd>[] = [
  { key: 'person', title: 'Person', sort: (one) => one.person },
  { key: 'host', title: 'Host', sort: (one) => one.host },
  { key: 'verdict', title: 'In force', sort: (one) => one.verdict },
  { key: 'version', title: 'Version', number: true, sort: (one) => one.reportedVersion },
  { key: 'since', title: 'Since', sort: (one) => one.sinceMs, csv: (one) => isoOf(one.sinceMs) },
]
const adminColumns: Column<AdminLine>[] = [
  { key: 'host', title: 'Desktop', sort: (one) => one.host },
  { key: 'assigned', title: 'Assigned to', sort: (one) => one.assigned },
  { key: 'now', title: 'Administrator now', sort: (one) => one.now.map(({ account }) => account).join() },
  { key: 'state', title: 'State', sort: (one) => one.state },
  { key: 'act', title: '' },
]
const jobId = ref<string | null>(null)
const setAdmin = useMutation({
  mutationFn: (host: string) => call('localAdminSet', { params: { id: host } }),
  onSuccess: ({ id }) => {
    jobId.value = id
    setTimeout(() => void client.invalidateQueries({ queryKey: ['local-admins'] }), 1500)
  },
})
const pool = ref('')
const person = ref('')
const prove = useMutation({
  mutationFn: () => call('limitProof', { params: { id: pool.value }, body: { person: person.value.trim() } }),
  onSuccess: ({ id }) => {
    jobId.value = id
  },
})
</script>

<template>
  <PageState v-if="!policy" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>In force</h1>
      <PolicyViews />
      <p>
        Hosts:
        <template v-for="[state, n] in hosts" :key="state"
          ><strong>{{ n }}</strong> {{ state }}&ensp;</template
        >
        <RouterLink to="/policies/base">host by host</RouterLink>
      </p>
      <h2>Sessions</h2>
      <p v-if="sessions">
        {{ plural(sessions.sessions, 'session runs', 'sessions run') }};
        <template v-if="sessions.odd.length === 0">each has in force what it should.</template
        ><template v-else
          >{{ plural(sessions.odd.length, 'has', 'have') }} something else in force than should be, or go{{ sessions.odd.length === 1 ? 'es' : '' }} a
          way that the policy does not allow.</template
        >
        <template v-if="sessions.ways.known">
          Of {{ count(sessions.ways.known) }} whose logon tells which way it went,
          {{
            sessions.ways.secondChoice === 0
              ? 'none had to take the relay where the policy prefers the direct way'
              : `${count(sessions.ways.secondChoice)} had to take the relay though the policy prefers the direct way`
          }}<template v-if="sessions.ways.against">, and {{ count(sessions.ways.against) }} went against it</template>.
          <RouterLink to="/policies/lines">Lines</RouterLink></template
        >
      </p>
      <DataTable
        v-if="sessions?.odd.length"
        :columns="columns"
        :rows="sessions.odd"
        :row-key="(one) => one.session"
        label="Sessions that differ"
        csv="sessions-that-differ"
        empty=""
      >
        <template #person="{ row }"
          ><RouterLink class="mono" :to="`/people/${encodeURIComponent(row.person)}`">{{ row.person }}</RouterLink></template
        >
        <template #host="{ row }"
          ><span class="mono">{{ row.host }}</span></template
        >
        <template #verdict="{ row }"
          ><span :class="row.verdict === 'differs' ? 'madder' : row.verdict === 'as it should be' ? '' : 'ochre'">{{ row.verdict }}</span>
          <div v-if="row.way?.verdict === 'against the policy'" class="small madder">
            {{ row.way.sentence }} <RouterLink :to="`/logons/${encodeURIComponent(row.way.attempt)}`">its logon</RouterLink>
          </div>
          <div v-for="one in row.differences.slice(0, 4)" :key="one.setting" class="small quiet">
            {{ one.title }}: {{ one.reported }}, should be {{ one.should }}
          </div></template
        >
        <template #version="{ row }">{{ row.reportedVersion ?? '–' }}</template>
        <template #since="{ row }">{{ when(row.sinceMs) }}</template>
      </DataTable>
      <h2>Administrators of desktops</h2>
      <DataTable
        v-if="admins"
        :columns="adminColumns"
        :rows="admins.lines"
        :row-key="(one) => one.host"
        label="Administrators of desktops"
        csv="desktop-administrators"
        empty="Nobody is administrator of a desktop, and nobody should be."
      >
        <template #host="{ row }"
          ><span class="mono">{{ row.host }}</span>
          <div class="small quiet nowrap">{{ row.pool }}</div></template
        >
        <template #assigned="{ row }"
          ><RouterLink v-if="row.assigned" class="mono nowrap" :to="`/people/${encodeURIComponent(row.assigned)}`">{{ row.assigned }}</RouterLink
          ><span v-else class="quiet">nobody</span></template
        >
        <template #now="{ row }"
          ><div v-for="one in row.now" :key="one.account">
            <span class="mono">{{ one.account }}</span><span v-if="one.untilMs && one.untilMs > Date.now()" class="small quiet"
              >&ensp;until {{ when(one.untilMs) }}</span
            >
          </div>
          <span v-if="row.now.length === 0" class="quiet">nobody</span></template
        >
        <template #state="{ row }"
          ><span :class="{ moss: row.state === 'as it should be', ochre: row.state === 'to be given', madder: row.state === 'to be taken away' }">{{
            row.state
          }}</span>
          <div class="small quiet">{{ row.sentence }}</div>
          <div v-for="one in row.wide" :key="one" class="small madder">{{ one }}</div></template
        >
        <template #act="{ row }"
          ><BButton
            v-if="session.isAdministrator && (row.state === 'to be given' || row.state === 'to be taken away')"
            variant="link"
            class="nowrap"
            @click="setAdmin.mutate(row.host)"
            >{{ row.state === 'to be given' ? 'Give it' : 'Take it away' }}</BButton
          ></template
        >
      </DataTable>
      <p v-if="setAdmin.error.value" class="madder" role="alert">{{ problemWords(setAdmin.error.value) }}</p>
    </section>
    <aside class="margin" aria-label="Prove a time limit">
      <h2>Prove a time limit</h2>
      <p class="small quiet">
        Logs a test person on, disconnects the session, and watches whether the fleet logs it off when its limit is over. It takes as long as the
        limit, up to a day, and can be cancelled.
      </p>
      <form v-if="session.isAdministrator" @submit.prevent="prove.mutate()">
        <select v-model="pool" class="form-select" aria-label="Pool of the proof">
          <option value="" disabled>Pool</option>
          <option v-for="one in policy.pools" :key="one" :value="one">{{ one }}</option>
        </select>
        <input v-model="person" class="form-control mono my-1" placeholder="account" aria-label="Test person" />
        <BButton type="submit" variant="outline-secondary" class="go" :disabled="pool === '' || person.trim() === ''">Prove it</BButton>
      </form>
      <p v-if="prove.error.value" class="madder" role="alert">{{ problemWords(prove.error.value) }}</p>
      <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
      <h2>Proven so far</h2>
      <p v-if="proofs?.proofs.length === 0" class="quiet">None yet.</p>
      <p v-for="one in proofs?.proofs ?? []" :key="one.id">
        <strong :class="one.ok ? 'moss' : one.ok === false ? 'madder' : 'ochre'">{{
          one.ok ? 'Proven' : one.ok === false ? 'Not proven' : 'Under way'
        }}</strong>
        {{ one.pool }}, {{ when(one.atMs) }}<br /><span class="small quiet"
          >{{ one.sentence }}<template v-if="one.tookMs && one.limitMs"> ({{ duration(one.tookMs) }} of {{ duration(one.limitMs) }})</template></span
        >
      </p>
    </aside>
  </div>
</template>
