<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { RoomPage } from '../../contract/room'
import { slotSays } from '../../core/containers'
import { csvAddress } from '../kit/csv'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { count, percent, plural, size } from '../kit/format'
import { vKept } from '../kit/kept'
import PageState from '../kit/PageState.vue'
import { call } from '../shell/api'
import AddShare from './AddShare.vue'
import ContainerViews from './ContainerViews.vue'
import { roomBars } from './room'
import RoomWaves from './RoomWaves.vue'

const route = useRoute()
const router = useRouter()
const set = (name: string, value: string) => router.replace({ query: { ...route.query, [name]: value || undefined } })
const text = (name: string, fallback: string) => (typeof route.query[name] === 'string' ? route.query[name] : fallback)
const fullTo = computed(() => Math.min(1, Math.max(0.05, Number(text('fullTo', '0.8')) || 0.8)))
const zones = computed(() => (text('zones', 'any') === 'same' ? 'same' : 'any'))
const empty = computed(() => text('empty', ''))
const logonIops = ref(Number(text('logonIops', '50')))
const steadyIops = ref(Number(text('steadyIops', '10')))
const demand = refDebounced(
  computed(() => ({ logonIops: logonIops.value || 0, steadyIops: steadyIops.value || 0 })),
  400,
)
const query = computed(() => ({ fullTo: fullTo.value, zones: zones.value as 'any' | 'same', empty: empty.value, ...demand.value }))
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['room', query],
  queryFn: ({ signal }) => call('room', { query: query.value }, signal),
  placeholderData: keepPreviousData,
})
type MoveLine = RoomPage['moves'][number]
const BECAUSE = { room: 'too full', load: 'asked for too much', empty: 'to be emptied' } as const
const columns: Column<MoveLine>[] = [
  { key: 'person', title: 'Person', sort: (m) => m.name ?? m.person },
  { key: 'file', title: 'Container', sort: (m) => m.file },
  { key: 'to', title: 'From, to', sort: (m) => m.from + m.to },
  { key: 'bytes', title: 'Takes', number: true, sort: (m) => m.bytes },
  { key: 'slot', title: 'Logs on about', sort: (m) => m.slot },
  { key: 'because', title: 'Because its share is', sort: (m) => m.because },
]
const bars = computed(() => roomBars(data.value?.shares ?? [], data.value?.after ?? []))
const used = computed(() => (data.value?.shares ?? []).reduce((sum, { usedBytes }) => sum + usedBytes, 0))
const total = computed(() => (data.value?.shares ?? []).reduce((sum, { totalBytes }) => sum + totalBytes, 0))
const emptied = computed(() => empty.value.split('|').filter((path) => path !== ''))
const toggleEmpty = (path: string) =>
  set('empty', (emptied.value.includes(path) ? emptied.value.filter((one) => one !== path) : [...emptied.value, path]).join('|'))
const leastWords = computed(() => {
  const { bytes = 0, atLeastBytes = 1 } = data.value ?? {}
  const more = bytes / atLeastBytes - 1
  return more < 0.005
    ? 'No plan could do with fewer bytes.'
    : `No plan could do with fewer than ${size(atLeastBytes)}; this is ${percent(more)} more, to take load off as well.`
})
const csv = computed(() =>
  csvAddress(
    (data.value?.moves ?? []).map(({ id, person, from, to, bytes, because }) => ({
      container: id,
      person,
      from,
      to,
      bytes,
      because: BECAUSE[because],
    })),
  ),
)
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>{{ plural(data.shares.length, 'share') }}, {{ size(used) }} used of {{ size(total) }}</h1>
      <ContainerViews />
      <div class="bars" role="list" aria-label="Shares">
        <div v-for="(bar, i) in bars" :key="bar.path" role="listitem" class="bar">
          <div>
            <RouterLink class="mono" :to="`/shares/${encodeURIComponent(data.shares[i]?.id ?? '')}`">{{ bar.path }}</RouterLink>
            <span class="quiet small">
              zone {{ data.shares[i]?.zone ?? '–' }}, {{ plural(data.shares[i]?.containers ?? 0, 'container')
              }}<template v-if="data.shares[i]?.redundancy">, {{ data.shares[i]?.redundancy }}</template></span
            >
          </div>
          <svg viewBox="0 0 600 18" preserveAspectRatio="none" role="img" :aria-label="`${bar.path}: ${bar.words}`">
            <rect x="0" y="4" width="600" height="10" fill="var(--ghost)" />
            <rect x="0" y="4" :width="600 * Math.min(bar.now, bar.then)" height="10" fill="var(--ink-2)" />
            <rect
              v-if="bar.now > bar.then"
              :x="600 * bar.then"
              y="4"
              :width="600 * (bar.now - bar.then)"
              height="10"
              fill="none"
              stroke="var(--ink-2)"
              stroke-dasharray="3 3"
            />
            <rect v-if="bar.then > bar.now" :x="600 * bar.now" y="4" :width="600 * (bar.then - bar.now)" height="10" fill="var(--indigo)" />
            <line :x1="600 * bar.limit" :x2="600 * bar.limit" y1="0" y2="18" stroke="var(--madder)" stroke-width="1.5" />
          </svg>
          <div class="small">
            <span :class="{ madder: bar.tooFull }">{{ bar.words }}</span> · <span :class="bar.tooBusy ? 'madder' : 'quiet'">{{ bar.loadWords }}</span>
          </div>
        </div>
      </div>
      <p class="small quiet">Solid: used. Dashed: leaves. Blue: arrives. Red line: the limit that you set.</p>
      <h2>What should move</h2>
      <p v-if="data.moves.length === 0" class="lead">
        Nothing has to move: no share is fuller than {{ percent(fullTo) }}, and none is asked for more than it bears.
      </p>
      <p v-else class="lead">
        <strong>{{ plural(data.moves.length, 'container') }}, {{ size(data.bytes) }}</strong
        >.
        <template v-if="data.atLeastBytes > 0">{{ leastWords }}</template>
      </p>
      <ul v-if="data.notMet.length" class="madder" aria-label="What cannot be reached">
        <li v-for="one in data.notMet" :key="one">{{ one }}</li>
      </ul>
      <template v-if="data.moves.length">
        <div class="toolbar"><a :href="csv" download="moves.csv">Export CSV</a></div>
        <DataTable :columns="columns" :rows="data.moves" :most="20" :row-key="(m) => m.id" label="Moves" empty="Nothing has to move.">
          <template #person="{ row }"
            ><RouterLink v-if="row.person && row.name" class="plum" :to="`/people/${encodeURIComponent(row.person)}`">{{ row.name }}</RouterLink
            ><span v-else class="quiet">nobody</span></template
          >
          <template #file="{ row }"
            ><RouterLink class="mono" :to="`/containers/${encodeURIComponent(row.id)}`">{{ row.file }}</RouterLink
            ><span v-if="row.inUse" class="quiet small"> in use now</span></template
          >
          <template #to="{ row }"
            ><span class="mono small">{{ row.from }}<br />→ {{ row.to }}</span></template
          >
          <template #bytes="{ row }">{{ size(row.bytes) }}</template>
          <template #slot="{ row }">{{ row.slot === null ? 'not known' : slotSays(row.slot) }}</template>
          <template #because="{ row }">{{ BECAUSE[row.because] }}</template>
        </DataTable>
      </template>
    </section>
    <aside class="margin" aria-label="What the plan shall bring about">
      <h2>What the plan shall bring about</h2>
      <label class="row-label"
        >No share fuller than
        <span
          ><input
            type="number"
            class="form-control num"
            min="5"
            max="100"
            step="1"
            v-kept="Math.round(fullTo * 100)"
            aria-label="No share fuller than, percent"
            @change="set('fullTo', String(Number(($event.target as HTMLInputElement).value) / 100))"
          />
          %</span
        ></label
      >
      <label class="row-label"
        ><span>Containers stay in their zone</span
        ><input type="checkbox" :checked="zones === 'same'" @change="set('zones', ($event.target as HTMLInputElement).checked ? 'same' : '')"
      /></label>
      <fieldset>
        <legend class="small quiet">Empty these shares</legend>
        <label v-for="one in data.shares" :key="one.path" class="row-label"
          ><span class="mono small">{{ one.path }}</span
          ><input type="checkbox" :checked="emptied.includes(one.path)" @change="toggleEmpty(one.path)"
        /></label>
      </fieldset>
      <details>
        <summary class="small">What a person costs a share</summary>
        <label class="row-label"
          >at logon
          <span
            ><input v-model.number="logonIops" type="number" class="form-control num" min="0" max="10000" aria-label="Operations a second at logon" />
            /s</span
          ></label
        >
        <label class="row-label"
          >afterwards
          <span
            ><input
              v-model.number="steadyIops"
              type="number"
              class="form-control num"
              min="0"
              max="10000"
              aria-label="Operations a second afterwards"
            />
            /s</span
          ></label
        >
        <p class="small quiet">
          50 and 10 operations a second are common practice, no published source. Who logs on within the same five minutes counts as at once; a
          session is taken to last 8 hours. Of {{ count(data.known) }} of {{ count(data.containers) }} containers it is known from the last 14 days
          when their person logs on.
        </p>
      </details>
      <RoomWaves :page="data" />
      <AddShare />
    </aside>
  </div>
</template>

<style scoped>
.bar {
  border-top: 1px solid var(--hair);
  padding: 8px 0;
}
.bar svg {
  width: 100%;
  height: 18px;
  display: block;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 8px 0;
}
</style>
