<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { duration, exact, size, when } from '../kit/format'
import OutcomeStem from '../kit/OutcomeStem.vue'
import PageState from '../kit/PageState.vue'
import LastLogons from '../logons/LastLogons.vue'
import { call } from '../shell/api'
import { onBench } from '../shell/bench'
import SessionPolicies from './SessionPolicies.vue'

const props = defineProps<{ id: string }>()
const {
  data: person,
  isPending,
  error,
  refetch,
} = useQuery({ queryKey: ['person', props.id], queryFn: ({ signal }) => call('person', { params: { id: props.id } }, signal) })
onBench(computed(() => (person.value ? { id: `person:${person.value.id}`, title: person.value.name } : null)))
</script>

<template>
  <PageState v-if="!person" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1 class="plum">{{ person.name }}</h1>
      <div class="sub">
        <span v-for="account in person.accounts" :key="account" class="mono">{{ account }}&ensp;</span>
      </div>
      <p class="verdict"><OutcomeStem :outcome="person.verdict.ok ? 'ready' : 'failed'" :height="20" /> {{ person.verdict.sentence }}</p>
      <SessionPolicies :person="person.id" />
      <h2>Last logons</h2>
      <div class="stems"><LastLogons :attempts="person.attempts.slice(0, 24)" /></div>
      <table class="plain" aria-label="Last logons">
        <tbody>
          <tr v-for="attempt in person.attempts.slice(0, 12)" :key="attempt.id">
            <td><OutcomeStem :outcome="attempt.outcome" /></td>
            <td>
              <RouterLink :to="`/logons/${encodeURIComponent(attempt.id)}`" :title="exact(attempt.startedMs)">{{
                when(attempt.startedMs)
              }}</RouterLink>
            </td>
            <td class="number">
              {{ duration(attempt.totalMs) }}<span v-if="attempt.usualMs !== null" class="quiet"> · usual {{ duration(attempt.usualMs) }}</span>
            </td>
            <td class="mono">{{ attempt.host }}</td>
            <td>{{ attempt.causeTitle }}</td>
          </tr>
        </tbody>
      </table>
      <h2>Containers</h2>
      <p v-if="person.containers.length === 0" class="quiet">None lies on a share.</p>
      <div v-for="container in person.containers" :key="container.id" class="container">
        <RouterLink class="mono" :to="`/containers/${encodeURIComponent(container.id)}`">{{ container.id }}</RouterLink><br />
        {{ size(container.allocatedBytes) }} inside of at most {{ size(container.virtualBytes) }}, {{ size(container.diskBytes) }} on disk<template
          v-if="container.lastUsedMs"
          >, last used {{ when(container.lastUsedMs) }}</template
        >
        <div v-if="container.holderHost" :class="container.holderAlive === false ? 'madder' : 'quiet'">
          Held by <span class="mono">{{ container.holderHost }}</span><template v-if="container.heldSinceMs">
            since {{ when(container.heldSinceMs) }}</template
          >{{ container.holderAlive === false ? ', which lists no such session' : '' }}
        </div>
      </div>
    </section>
    <aside class="margin">
      <h2>Sessions now</h2>
      <p v-if="person.sessions.length === 0" class="quiet">None.</p>
      <p v-for="session in person.sessions" :key="session.session">
        <span class="mono">{{ session.host }}</span> {{ session.state }} since {{ when(session.sinceMs) }}
      </p>
      <h2>Pools they may use</h2>
      <p v-if="person.pools.length === 0" class="madder">None is granted to any of their groups.</p>
      <p v-for="pool in person.pools" :key="pool.id">
        <RouterLink :to="{ path: '/logons', query: { pool: pool.id } }">{{ pool.name }}</RouterLink><br /><span class="quiet small"
          >through {{ pool.through }}</span
        >
      </p>
      <h2>Groups</h2>
      <p v-for="group in person.groups" :key="group">{{ group }}</p>
    </aside>
  </div>
</template>

<style scoped>
.verdict {
  font-size: 17px;
  font-weight: 500;
  margin: 4px 0 0;
}
.stems {
  max-width: 480px;
}
.container {
  border-top: 1px solid var(--hair);
  padding: 8px 0;
  overflow-wrap: anywhere;
}
.margin p {
  margin-bottom: 8px;
}
</style>
