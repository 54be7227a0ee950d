<script setup lang="ts">
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { AttemptLine } from '../../contract/logons'
import { PLACES } from './incident'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { clockSeconds, day, duration, exact, when } from '../kit/format'
import OutcomeStem from '../kit/OutcomeStem.vue'
import PageState from '../kit/PageState.vue'
import { addressOf, call } from '../shell/api'
import { useWindow } from '../shell/window'
import LogonViews from './LogonViews.vue'
import UploadMargin from './UploadMargin.vue'

const route = useRoute()
const router = useRouter()
const { fromMs, toMs, chosen, stretch: over } = useWindow()
const text = (name: string) => (typeof route.query[name] === 'string' ? (route.query[name] as string) : undefined)
const NAMED = ['cause', ...PLACES, 'group', 'person', 'upload'] as const
const number = (name: string) => (text(name) && Number.isFinite(Number(text(name))) ? Number(text(name)) : undefined)
/** A stretch of time that a picture was asked about, instead of the window. */
const stretch = computed(() => {
  const [from, to] = [number('from'), number('to')]
  return from !== undefined && to !== undefined ? { fromMs: from, toMs: to } : null
})
const filter = computed(() => ({ outcome: text('outcome'), ...Object.fromEntries(NAMED.map((name) => [name, text(name)])) }))
const query = computed(() => ({
  ...filter.value,
  sort: (text('sort') ?? 'started') as 'started',
  ...(stretch.value ?? (text('upload') ? {} : { fromMs: fromMs.value, toMs: toMs.value })),
}))
const { data, isPending, error, refetch, fetchNextPage, hasNextPage } = useInfiniteQuery({
  queryKey: ['attempts', filter, stretch, computed(() => chosen.value.id), computed(() => text('sort'))],
  queryFn: ({ signal, pageParam }) =>
    call('attempts', { query: { ...query.value, limit: 100, ...(pageParam ? { before: pageParam } : {}) } }, signal),
  initialPageParam: '',
  getNextPageParam: (last) => last.next,
  refetchInterval: 30_000,
})
/** The name of the file that is asked about; its id where it is none of the latest. */
const { data: files } = useQuery({ queryKey: ['uploads'], queryFn: () => call('uploads', {}), enabled: computed(() => text('upload') !== undefined) })
const fileName = computed(() => files.value?.uploads.find(({ id }) => id === text('upload'))?.name ?? text('upload'))
const attempts = computed(() => data.value?.pages.flatMap((page) => page.attempts) ?? [])
const set = (name: string, value: string) => router.replace({ query: { ...route.query, [name]: value || undefined } })
const columns: Column<AttemptLine>[] = [
  { key: 'outcome', title: 'Outcome', sort: (a) => a.outcome },
  { key: 'person', title: 'Person', sort: (a) => a.name ?? a.person },
  { key: 'started', title: 'Began', sort: (a) => a.startedMs },
  { key: 'total', title: 'Took', number: true, sort: (a) => a.totalMs },
  { key: 'usual', title: 'Usual', number: true, sort: (a) => a.usualMs },
  { key: 'place', title: 'Pool and host', sort: (a) => a.pool },
  { key: 'cause', title: 'Cause', sort: (a) => a.causeTitle },
]
const dropping = ref(false)
const margin = ref<InstanceType<typeof UploadMargin> | null>(null)
function drop(event: DragEvent): void {
  dropping.value = false
  void margin.value?.drop(event.dataTransfer)
}
/** Whether the day must be said. */
const dated = computed(() => chosen.value.ms > 86_400_000 || over.value !== null || text('upload') !== undefined || stretch.value !== null)
const open = (attempt: AttemptLine) => void router.push(`/logons/${encodeURIComponent(attempt.id)}`)
</script>

<template>
  <div class="page" :class="{ dropping }" @dragover.prevent="dropping = true" @dragleave.self="dropping = false" @drop.prevent="drop">
    <section class="work">
      <h1>Logons</h1>
      <LogonViews />
      <div class="toolbar">
        <select
          class="form-select"
          aria-label="Outcome"
          :value="text('outcome') ?? ''"
          @change="set('outcome', ($event.target as HTMLSelectElement).value)"
        >
          <option value="">every outcome</option>
          <option value="bad">what cost time</option>
          <option value="failed">failed</option>
          <option value="slow">slow</option>
          <option value="degraded">on a temporary profile</option>
          <option value="open">under way</option>
          <option value="ready">ready</option>
        </select>
        <select
          class="form-select"
          aria-label="Order"
          :value="text('sort') ?? 'started'"
          @change="set('sort', ($event.target as HTMLSelectElement).value)"
        >
          <option value="started">newest first</option>
          <option value="total">longest first</option>
          <option value="lost">most time lost first</option>
        </select>
        <template v-for="name in NAMED" :key="name"
          ><span v-if="text(name)" class="chip"
            >{{ name === 'upload' ? 'evidence file' : name }} <span class="mono">{{ name === 'upload' ? fileName : text(name) }}</span><button
              type="button"
              :aria-label="`Any ${name}`"
              @click="set(name, '')"
            >
              <i-lucide-x /></button></span
        ></template>
        <span v-if="stretch" class="chip"
          >{{ when(stretch.fromMs) }} to {{ when(stretch.toMs)
          }}<button
            type="button"
            aria-label="Any time of the window"
            @click="router.replace({ query: { ...route.query, from: undefined, to: undefined } })"
          >
            <i-lucide-x /></button
        ></span>
        <a class="export" :href="addressOf('attemptsExport', { query })" download>Export CSV</a>
      </div>
      <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <template v-else>
        <DataTable
          :columns="columns"
          :rows="attempts"
          :row-key="(a) => a.id"
          :go="open"
          label="Logons"
          empty="No logon matches. Take away a filter or choose a longer window; or drop an evidence file onto this page."
        >
          <template #outcome="{ row }"><OutcomeStem :outcome="row.outcome" /></template>
          <template #person="{ row }"
            ><RouterLink v-if="row.person" class="plum" :to="`/people/${encodeURIComponent(row.person)}`" @click.stop>{{
              row.name ?? row.person
            }}</RouterLink
            ><span v-else class="quiet">not known</span></template
          >
          <template #started="{ row }"
            ><span class="nowrap" :title="exact(row.startedMs)"
              >{{ dated ? `${day(row.startedMs)} ` : '' }}{{ clockSeconds(row.startedMs) }}</span
            ></template
          >
          <template #total="{ row }"
            ><strong v-if="row.lostMs > 0">{{ duration(row.totalMs) }}</strong
            ><template v-else>{{ duration(row.totalMs) }}</template></template
          >
          <template #usual="{ row }"
            ><span class="quiet">{{ row.usualMs === null ? '–' : duration(row.usualMs) }}</span></template
          >
          <template #place="{ row }"
            >{{ row.pool }} <span class="mono quiet">{{ row.host }}</span></template
          >
          <template #cause="{ row }">{{ row.causeTitle }}</template>
        </DataTable>
        <BButton v-if="hasNextPage" variant="outline-secondary" class="mt-3" @click="fetchNextPage()">Earlier ones</BButton>
      </template>
    </section>
    <aside class="margin" aria-label="Evidence"><UploadMargin ref="margin" /></aside>
  </div>
</template>

<style scoped>
.dropping {
  outline: 2px dashed var(--indigo);
  outline-offset: -8px;
}
.chip {
  border: 1px solid var(--hair);
  border-radius: 4px;
  padding: 3px 6px 3px 8px;
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.chip button {
  border: 0;
  background: none;
  color: var(--ink-2);
  padding: 0;
  line-height: 1;
}
.export {
  margin-left: auto;
}
</style>
