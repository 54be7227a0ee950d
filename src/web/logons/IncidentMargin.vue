<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import type { IncidentLine } from '../../contract/logons'
import { duration, exact, plural, when } from '../kit/format'
import { call } from '../shell/api'
import EvidenceList from './EvidenceList.vue'
import { incidentPlace, incidentQuery, sinceWords } from './incident'

const props = defineProps<{ incident: IncidentLine; nowMs: number }>()
const { data: story } = useQuery({
  queryKey: ['story', props.incident.example],
  queryFn: () => call('story', { params: { id: props.incident.example } }),
})
</script>

<template>
  <div class="quiet small" :title="exact(incident.sinceMs)">{{ sinceWords(incident, nowMs) }}</div>
  <p class="cause">
    {{ incident.title }}<template v-if="incidentPlace(incident)">: {{ incidentPlace(incident) }}</template
    >.
  </p>
  <p class="quiet small">
    {{ plural(incident.people, 'person', 'people') }} lost {{ duration(incident.lostMs) }} in {{ plural(incident.attempts, 'logon') }};
    {{ incident.failed === 0 ? 'none of them failed' : `${incident.failed} of them failed` }}.
  </p>
  <template v-if="incident.change">
    <h2>What changed before it {{ incident.change.of === 'its worsening' ? 'became worse' : 'began' }}</h2>
    <p>
      {{ incident.change.sentence }} <span class="quiet small" :title="exact(incident.change.atMs)">{{ when(incident.change.atMs, nowMs) }}</span>
    </p>
  </template>
  <p v-if="incident.kind === 'incident'">
    <RouterLink :to="{ path: `/incidents/${encodeURIComponent(incident.id)}`, query: $route.query }">Why here, why then, and did it help?</RouterLink>
  </p>
  <template v-if="story?.diagnosis.cause">
    <h2>
      The one that lost most: <RouterLink :to="`/logons/${encodeURIComponent(story.id)}`">{{ story.name ?? story.person }}</RouterLink>
    </h2>
    <p>{{ story.diagnosis.cause.sentence }}</p>
    <EvidenceList :clues="story.diagnosis.cause.evidence" />
    <template v-if="story.diagnosis.cause.remedy">
      <h2>What can be done</h2>
      <RouterLink v-if="story.diagnosis.cause.remedy.kind !== 'tell'" :to="`/logons/${encodeURIComponent(story.id)}`" class="btn btn-primary go"
        >{{ story.diagnosis.cause.remedy.label }}…</RouterLink
      >
      <strong v-else>{{ story.diagnosis.cause.remedy.label }}</strong>
      <p class="quiet small">{{ story.diagnosis.cause.remedy.explanation }}</p>
    </template>
  </template>
  <h2>All of them</h2>
  <RouterLink :to="{ path: '/logons', query: incidentQuery(incident) }">{{ plural(incident.attempts, 'logon') }} with this cause</RouterLink>
</template>

<style scoped>
.cause {
  font-size: 17px;
  line-height: 1.35;
  font-weight: 500;
  margin: 2px 0 8px;
}
</style>
