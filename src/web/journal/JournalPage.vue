<script setup lang="ts">
import { useInfiniteQuery, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import type { JournalLine } from '../../contract/other'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { exact, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { addressOf, call } from '../shell/api'
import JournalViews from './JournalViews.vue'

const text = ref('')
const asked = refDebounced(text, 200)
const { data, isPending, error, refetch, fetchNextPage, hasNextPage } = useInfiniteQuery({
  queryKey: ['journal', asked],
  queryFn: ({ pageParam }) => call('journal', { query: { text: asked.value, ...(pageParam ? { before: pageParam } : {}) } }),
  initialPageParam: 0,
  getNextPageParam: (last) => last.next,
})
const lines = computed(() => data.value?.pages.flatMap((page) => page.lines) ?? [])
const { data: jobs } = useQuery({ queryKey: ['jobs'], queryFn: () => call('jobs', {}) })
const columns: Column<JournalLine>[] = [
  { key: 'at', title: 'When', sort: (l) => l.atMs },
  { key: 'who', title: 'Who', sort: (l) => l.who },
  { key: 'what', title: 'What', sort: (l) => l.what },
  { key: 'before', title: 'Before', sort: (l) => l.before },
  { key: 'after', title: 'After', sort: (l) => l.after },
]
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>Journal</h1>
      <div class="sub">Everything that was written, by whom, and what was so before and after. Lines are never changed or taken away.</div>
      <JournalViews />
      <div class="toolbar">
        <BFormInput v-model="text" aria-label="Part of a line" placeholder="Part of a line" /><a
          class="export"
          :href="addressOf('journalExport', { query: { text: asked } })"
          download
          >Export CSV</a
        >
      </div>
      <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <DataTable
        v-else
        :columns="columns"
        :rows="lines"
        :row-key="(l) => l.id"
        label="Journal"
        :empty="asked ? `No line has “${asked}” in it.` : 'Nothing has been written yet.'"
      >
        <template #at="{ row }"
          ><span class="nowrap" :title="exact(row.atMs)">{{ when(row.atMs) }}</span></template
        >
        <template #who="{ row }">{{ row.who }}</template>
        <template #what="{ row }"
          >{{ row.what }}
          <div v-if="row.target" class="mono quiet">{{ row.target }}</div></template
        >
        <template #before="{ row }">{{ row.before }}</template>
        <template #after="{ row }">{{ row.after }}</template>
      </DataTable>
      <BButton v-if="hasNextPage" variant="outline-secondary" class="mt-3" @click="fetchNextPage()">Earlier lines</BButton>
    </section>
    <aside class="margin" aria-label="Jobs">
      <h2>Jobs</h2>
      <p v-if="!jobs?.jobs.length" class="quiet">None has run yet. A job is what a remedy does, step by step.</p>
      <div v-for="job in jobs?.jobs.slice(0, 20)" :key="job.id" class="job">
        <strong>{{ job.title }}</strong> <span class="mono quiet">{{ job.target }}</span><br /><span class="quiet small" :title="exact(job.startedMs)"
          >{{ when(job.startedMs) }}, {{ job.author }} · </span
        ><span :class="{ madder: job.state === 'failed', moss: job.state === 'done' }">{{ job.state }}</span>
        <div v-if="job.outcome" class="small">
          {{ job.outcome.sentence }}
          <RouterLink v-if="job.outcome.attempt" :to="`/logons/${encodeURIComponent(job.outcome.attempt)}`">look</RouterLink>
        </div>
        <details class="small">
          <summary>steps</summary>
          <div v-for="step in job.steps" :key="step.title">{{ step.title }}: {{ step.note ?? step.state }}</div>
        </details>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.export {
  margin-left: auto;
}
.job {
  border-top: 1px solid var(--hair);
  padding: 8px 0;
}
summary {
  color: var(--ink-2);
  cursor: pointer;
}
</style>
