<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { count, duration, exact, percent, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import { useWindow } from '../shell/window'
import EvidenceList from './EvidenceList.vue'
import IncidentHours from './IncidentHours.vue'
import { incidentPlace, incidentQuery, sinceWords, suspectWords } from './incident'
import WatchPanel from './WatchPanel.vue'

const props = defineProps<{ id: string }>()
const route = useRoute()
const router = useRouter()
const { fromMs, toMs, chosen } = useWindow()
/** The moment at which something was done about it, kept in the address. */
const doneMs = computed(() => (typeof route.query['done'] === 'string' && route.query['done'] ? Number(route.query['done']) : undefined))
const {
  data: incident,
  isPending,
  error,
  refetch,
} = useQuery({
  queryKey: ['incident', props.id, computed(() => chosen.value.id), doneMs],
  queryFn: ({ signal }) =>
    call('incident', { params: { id: props.id }, query: { fromMs: fromMs.value, toMs: toMs.value, doneMs: doneMs.value } }, signal),
  placeholderData: keepPreviousData,
  refetchInterval: 15_000,
})
/** Of a window that is over, it was longer ago than its end. */
const nowMs = computed(() => Math.max(toMs.value, Date.now()))
const place = computed(() => (incident.value ? incidentPlace(incident.value) : ''))
const rate = ({ hit, n }: { hit: number; n: number }) => (n === 0 ? 'nobody' : `${count(hit)} of ${count(n)} (${percent(hit / n)})`)
const chance = computed(() => {
  const p = incident.value?.p ?? 1
  return p < 1e-6 ? 'under one in a million' : p < 0.001 ? 'under one in a thousand' : percent(p)
})
const choose = (ms: number | undefined) => router.replace({ query: { ...route.query, done: ms === undefined ? undefined : String(ms) } })
</script>

<template>
  <PageState v-if="!incident" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>
        {{ incident.title }}<template v-if="place">: {{ place }}</template>
      </h1>
      <div class="sub">
        {{ plural(incident.people, 'person', 'people') }} lost {{ duration(incident.lostMs) }} in {{ plural(incident.attempts, 'logon')
        }}{{ incident.failed ? `, ${incident.failed} of them failed` : '' }} · {{ sinceWords(incident, nowMs) }} · in the {{ chosen.title }}
      </div>
      <IncidentHours :incident="incident" :done-ms="doneMs ?? null" />
      <h2>Why here</h2>
      <table class="plain">
        <tbody>
          <tr>
            <td>{{ place || 'Everywhere' }}, while it lasted</td>
            <td class="number">
              <strong>{{ rate(incident.contrast.inside) }}</strong> had it
            </td>
          </tr>
          <tr v-for="{ place: at, fromMs: beganMs, inside } in incident.each" :key="at.value" class="quiet">
            <td>
              <RouterLink :to="{ path: '/logons', query: { ...incidentQuery({ ...incident, scope: [at] }), window: route.query['window'] } }">{{
                incidentPlace({ scope: [at] })
              }}</RouterLink>, since {{ when(beganMs) }}
            </td>
            <td class="number">{{ rate(inside) }}</td>
          </tr>
          <tr v-if="place">
            <td>Everywhere else, in the same time</td>
            <td class="number">{{ rate(incident.contrast.outside) }} had it</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet small">
        By chance, {{ place ? 'so strong a contrast comes' : 'so many more than in the days before it come' }} with a probability of {{ chance }}.
      </p>
      <template v-if="incident.alongside.length">
        <h2>What only goes along with it</h2>
        <p v-for="one in incident.alongside" :key="one.sentence">{{ one.sentence }}</p>
      </template>
      <h2>What changed in the days before{{ incident.worse ? ', or before it became worse' : '' }}</h2>
      <p v-if="incident.suspects.length === 0" class="quiet">
        No change is known of. <RouterLink to="/journal/changes">Tell of one</RouterLink> that was made elsewhere.
      </p>
      <details v-for="(one, i) in incident.suspects" :key="one.change.id" class="suspect" :open="i === 0 && one.change.id === incident.change?.id">
        <summary>
          <span :class="{ strong: one.change.id === incident.change?.id }">{{ one.change.sentence }}</span>
          <span class="quiet small" :title="exact(one.change.atMs)"
            >{{ when(one.change.atMs) }}, {{ one.change.by ?? 'not known by whom' }} · {{ suspectWords(one, incident.change) }}</span
          >
        </summary>
        <EvidenceList :clues="one.reasons" />
      </details>
    </section>
    <aside class="margin" aria-label="Did it help">
      <WatchPanel :watch="incident.watch" :done="incident.done" :chosen-ms="doneMs ?? null" @choose="choose" />
      <h2>All of them</h2>
      <RouterLink :to="{ path: '/logons', query: { ...incidentQuery(incident), window: route.query['window'] } }"
        >{{ plural(incident.attempts, 'logon') }} with this cause</RouterLink
      >
      <p><RouterLink :to="`/logons/${encodeURIComponent(incident.example)}`">The one that lost most</RouterLink></p>
    </aside>
  </div>
</template>

<style scoped>
.suspect {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
}
.suspect summary {
  cursor: pointer;
}
.suspect summary .quiet {
  display: block;
  padding-left: 16px;
}
.strong {
  font-weight: 600;
}
</style>
