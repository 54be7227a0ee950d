<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { clock, count, duration, plural, when } from '../kit/format'
import OutcomeStem from '../kit/OutcomeStem.vue'
import PageState from '../kit/PageState.vue'
import { addressOf, call } from '../shell/api'
import { stretchId, useWindow } from '../shell/window'
import DayPicture from './DayPicture.vue'
import FirstSteps from './FirstSteps.vue'
import IncidentMargin from './IncidentMargin.vue'
import { afterWords, incidentPlace, sinceWords } from './incident'

const { fromMs, toMs, chosen } = useWindow()
const {
  data: today,
  isPending,
  error,
  refetch,
} = useQuery({
  queryKey: ['today', computed(() => chosen.value.id), toMs],
  queryFn: ({ signal }) => call('today', { query: { fromMs: fromMs.value, toMs: toMs.value } }, signal),
  placeholderData: keepPreviousData,
})
const picked = ref<string | null>(null)
const shown = ref(10)
const incidents = computed(() => today.value?.incidents.filter(({ kind }) => kind === 'incident') ?? [])
const singles = computed(() => today.value?.incidents.filter(({ kind }) => kind === 'single') ?? [])
const listed = computed(() => [
  { id: 'decide', title: 'Needs a decision, by time lost', lines: incidents.value.slice(0, shown.value) },
  { id: 'single', title: 'Single cases', lines: singles.value.slice(0, shown.value) },
])
const incident = computed(() => today.value?.incidents.find(({ id }) => id === picked.value) ?? today.value?.incidents[0])
const n = (outcome: string) => today.value?.byOutcome[outcome] ?? 0
const spoiled = computed(() => n('failed') + n('slow') + n('degraded'))
const summary = computed(() => {
  const t = today.value
  if (!t) return ''
  const parts = [`median ${duration(t.medianMs)}${t.usualMedianMs === null ? '' : ` (usual ${duration(t.usualMedianMs)})`}`]
  for (const [outcome, word] of [
    ['failed', 'failed'],
    ['degraded', 'on a temporary profile'],
    ['slow', 'slow'],
    ['open', 'under way'],
  ] as const)
    if (n(outcome)) parts.push(`${count(n(outcome))} ${word}`)
  if (t.lostMs > 60_000)
    parts.push(
      `${duration(t.lostMs)} of people's time lost${t.worstFromMs !== null && t.worstToMs !== null ? `, most of it between ${clock(t.worstFromMs)} and ${clock(t.worstToMs)}` : ''}`,
    )
  return parts.join(' · ')
})
</script>

<template>
  <PageState v-if="!today" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1 v-if="today.logons === 0">No logon in the {{ chosen.title }}</h1>
      <h1 v-else>
        {{ plural(today.logons, 'logon') }} in the {{ chosen.title }},
        {{ spoiled === 0 ? 'none of them spoiled' : `${count(spoiled)} of them spoiled` }}
      </h1>
      <template v-if="today.logons > 0">
        <div class="sub">{{ summary }}</div>
        <DayPicture :today="today" />
      </template>
      <p v-else-if="today.newestMs !== null" class="quiet empty">
        Nobody has logged on in this window, or no evidence of it has arrived. The newest logon that is known began
        {{ when(today.newestMs, today.nowMs) }}:
        <RouterLink :to="{ query: { ...$route.query, window: stretchId(today.newestMs - 86_400_000, today.newestMs + 60_000) } }"
          >look at the 24 h before it</RouterLink
        >, or <RouterLink to="/logons">give an evidence file</RouterLink>.
      </p>
      <FirstSteps v-else />
      <p v-if="today.incidentsFromMs !== null && today.incidentsFromMs > today.fromMs" class="quiet small" role="status">
        Logons since {{ when(today.incidentsFromMs, today.nowMs) }} have been looked through so far; earlier ones are being read.
      </p>
      <template v-for="list in listed" :key="list.id">
        <h2 v-if="list.lines.length || (list.id === 'decide' && today.logons > 0)" :id="list.id">
          {{ list.title }}
          <a
            v-if="list.id === 'decide' && today.incidents.length"
            class="export"
            :href="addressOf('incidentsExport', { query: { fromMs, toMs } })"
            download
            >Export CSV</a
          >
        </h2>
        <p v-if="list.lines.length === 0 && list.id === 'decide' && today.logons > 0" class="quiet">
          {{ singles.length ? 'Nothing that many have in common.' : 'Nothing. All logons were as usual.' }}
        </p>
        <ul v-else-if="list.lines.length" class="incidents" :aria-labelledby="list.id">
          <li v-for="one in list.lines" :key="one.id" :class="{ on: one.id === incident?.id }">
            <button type="button" :aria-pressed="one.id === incident?.id" @click="picked = one.id">
              <OutcomeStem
                :outcome="
                  one.failed > one.attempts / 2
                    ? 'failed'
                    : one.cause === 'host-not-configured' || one.cause === 'temporary-profile'
                      ? 'degraded'
                      : 'slow'
                "
                :height="20"
              />
              <span
                ><span class="title"
                  >{{ one.title }}<template v-if="incidentPlace(one)">: {{ incidentPlace(one) }}</template></span
                ><br /><span class="quiet small"
                  >{{ plural(one.people, 'person', 'people') }}, {{ plural(one.attempts, 'logon') }} · {{ sinceWords(one, today.nowMs)
                  }}<template v-if="one.change"> · {{ afterWords(one.change) }}: {{ one.change.sentence }}</template></span
                ></span
              >
              <span class="number"
                ><span class="title">{{ duration(one.lostMs) }}</span
                ><br /><span class="quiet small">lost</span></span
              >
            </button>
          </li>
        </ul>
      </template>
      <BButton v-if="Math.max(incidents.length, singles.length) > shown" variant="link" @click="shown = 50">All, also smaller ones</BButton>
    </section>
    <aside class="margin" aria-label="About the chosen line">
      <IncidentMargin v-if="incident" :key="incident.id" :incident="incident" :now-ms="today.nowMs" />
      <p v-else class="quiet">What needs a decision is explained here.</p>
    </aside>
  </div>
</template>

<style scoped>
.empty {
  padding: 40px 0;
}
.export {
  float: right;
  font-weight: 400;
}
.incidents {
  list-style: none;
  margin: 0;
  padding: 0;
}
.incidents li {
  border-top: 1px solid var(--hair);
}
.incidents li:last-child {
  border-bottom: 1px solid var(--hair);
}
.incidents button {
  all: unset;
  box-sizing: border-box;
  display: grid;
  grid-template-columns: 34px minmax(0, 1fr) auto;
  gap: 4px;
  width: 100%;
  padding: 8px 10px 8px 12px;
  cursor: pointer;
}
.incidents button:hover,
.on {
  background: var(--paper-2);
}
.incidents button:focus-visible {
  outline: 2px solid var(--indigo);
  outline-offset: -2px;
}
.on {
  box-shadow: inset 3px 0 0 var(--ink);
}
.title {
  font-weight: 600;
}
</style>
