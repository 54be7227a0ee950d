<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { clockSeconds, day, duration, exact, plural } from '../kit/format'
import OutcomeStem from '../kit/OutcomeStem.vue'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import { onBench, useBench } from '../shell/bench'
import CauseMargin from './CauseMargin.vue'
import ColleaguesPicture from './ColleaguesPicture.vue'
import LastLogons from './LastLogons.vue'
import PhaseDrawing from './PhaseDrawing.vue'
import { sayReported, titleOf } from './reported'

const props = defineProps<{ id: string }>()
const {
  data: story,
  isPending,
  error,
  refetch,
} = useQuery({
  queryKey: ['story', props.id],
  queryFn: ({ signal }) => call('story', { params: { id: props.id } }, signal),
  refetchInterval: (query) => (query.state.data?.outcome === 'open' ? 3000 : false),
})

const bench = useBench()
const item = computed(() =>
  story.value
    ? {
        id: `logon:${story.value.id}`,
        title: `${story.value.name ?? story.value.person ?? 'somebody'}, ${clockSeconds(story.value.startedMs).slice(0, 5)}`,
      }
    : null,
)
onBench(item)
const verb = computed(() => {
  const s = story.value
  if (!s) return ''
  const took = duration(s.totalMs)
  return {
    failed: `could not log on, after ${took}`,
    ready: `logged on in ${took}`,
    slow: `logged on slowly, in ${took}`,
    degraded: `logged on without their profile, in ${took}`,
    abandoned: `gave up after ${took}`,
    open: `is logging on, ${took} so far`,
  }[s.outcome]
})
const places = computed(() => {
  const s = story.value
  if (!s) return []
  const attr = (name: string) => (s.attrs[name] === undefined ? null : String(s.attrs[name]))
  return [
    { word: '', value: s.pool, mono: false },
    { word: 'host', value: s.host, mono: true },
    { word: 'share', value: attr('share'), mono: true },
    { word: 'image', value: attr('image'), mono: false },
    { word: 'from', value: attr('network'), mono: false },
  ].filter(({ value }) => value)
})
/** What was put right before it was drawn. */
const mended = computed(() => (story.value?.oddities ?? []).filter(({ code }) => code === 'clock.off'))
const attributes = computed(() => Object.entries(story.value?.attrs ?? {}).sort(([a], [b]) => titleOf(a).localeCompare(titleOf(b))))
</script>

<template>
  <PageState v-if="!story" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>
        <OutcomeStem :outcome="story.outcome" :height="22" />
        <RouterLink v-if="story.person" class="plum" :to="`/people/${encodeURIComponent(story.person)}`">{{
          story.name ?? story.account ?? story.person
        }}</RouterLink>
        <template v-else>Somebody</template>
        {{ verb }}
      </h1>
      <div class="sub">
        <span :title="exact(story.startedMs)">{{ day(story.startedMs) }} {{ clockSeconds(story.startedMs) }}</span
        ><template v-for="place in places" :key="place.word">
          · {{ place.word }}
          <RouterLink
            v-if="place.word === 'host' || place.word === 'image'"
            class="plain-link"
            :class="{ mono: place.mono }"
            :to="{ path: '/logons/compare', query: { one: [`${place.word}:${place.value}`] } }"
            >{{ place.value }}</RouterLink
          >
          <span v-else :class="{ mono: place.mono }">{{ place.value }}</span></template
        ><template v-if="story.usualMs !== null">
          · <span class="nowrap">usual here {{ duration(story.usualMs) }}</span></template
        >
        <BButton v-if="item" variant="link" class="small put" :disabled="bench.has(item.id)" title="Key b" @click="bench.put(item)">{{
          bench.has(item.id) ? 'on the bench' : 'put on the bench'
        }}</BButton>
        <RouterLink class="small put nowrap" :to="{ path: '/policies/try', query: { attempt: story.id } }">policies for it</RouterLink>
      </div>
      <PhaseDrawing :story="story" />
      <p v-for="one in mended" :key="one.sentence" class="quiet small">{{ one.sentence }}</p>
      <div class="pair">
        <div>
          <h2>
            {{ story.pool === null ? 'Others' : `Colleagues on ${story.pool}` }}, {{ clockSeconds(story.colleagues.fromMs).slice(0, 5) }} to
            {{ clockSeconds(story.colleagues.toMs).slice(0, 5) }}
          </h2>
          <ColleaguesPicture :story="story" />
        </div>
        <div>
          <h2>{{ story.last.length === 1 ? 'Their only logon' : `Their last ${story.last.length} logons` }}</h2>
          <LastLogons :attempts="story.last" :current="story.id" />
        </div>
      </div>
      <details class="all">
        <summary>Everything that was reported: {{ plural(story.observations, 'record') }}, {{ plural(attributes.length, 'attribute') }}</summary>
        <table class="plain">
          <tbody>
            <tr v-for="[name, value] in attributes" :key="name">
              <td class="quiet" :title="name">{{ titleOf(name) }}</td>
              <td class="mono" :title="String(value)">{{ sayReported(name, value) }}</td>
            </tr>
          </tbody>
        </table>
        <template v-if="story.oddities.length"
          ><h2>Odd in the evidence</h2>
          <ul>
            <li v-for="oddity in story.oddities" :key="oddity.sentence">{{ oddity.sentence }}</li>
          </ul></template
        >
      </details>
    </section>
    <aside class="margin" aria-label="The cause"><CauseMargin :story="story" /></aside>
  </div>
</template>

<style scoped>
.put {
  margin-left: 8px;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 32px;
}
.all {
  margin-top: 20px;
}
.all summary {
  color: var(--ink-2);
  cursor: pointer;
}
@media (max-width: 820px) {
  .pair {
    grid-template-columns: 1fr;
    gap: 0;
  }
}
</style>
