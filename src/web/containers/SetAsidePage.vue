<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { SetAsideLine } from '../../contract/containers'
import JobSteps from '../journal/JobSteps.vue'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { day, exact, plural, size } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { addressOf, call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import ContainerViews from './ContainerViews.vue'

const session = useSession()
const client = useQueryClient()
const { data, isPending, error, refetch } = useQuery({ queryKey: ['set-aside'], queryFn: ({ signal }) => call('setAside', {}, signal) })
const jobId = ref<string | null>(null)
const refresh = () => client.invalidateQueries({ queryKey: ['set-aside'] })
const { mutate: putBack, error: refused } = useMutation({
  mutationFn: (id: string) => call('setAsidePutBack', { params: { id } }),
  onSuccess: (job) => {
    jobId.value = job.id
  },
})
const { mutate: letGo, error: notLet } = useMutation({ mutationFn: (id: string) => call('setAsideDelete', { params: { id } }), onSuccess: refresh })
const text = ref('')
const gone = ref(false)
const lines = computed(() =>
  (data.value?.containers ?? []).filter(
    ({ file, share, author, state }) =>
      (gone.value || state === 'kept') && `${share} ${file} ${author}`.toLowerCase().includes(text.value.toLowerCase()),
  ),
)
const kept = computed(() => (data.value?.containers ?? []).filter(({ state }) => state === 'kept'))
const archived = computed(() => kept.value.filter(({ untilMs }) => untilMs === null).length)
const columns: Column<SetAsideLine>[] = [
  { key: 'file', title: 'Container', sort: (c) => c.file },
  { key: 'bytes', title: 'Inside', number: true, sort: (c) => c.bytes },
  { key: 'at', title: 'Since', sort: (c) => c.atMs },
  { key: 'author', title: 'By', sort: (c) => c.author },
  { key: 'until', title: 'Deleted on', sort: (c) => c.untilMs ?? Infinity },
  { key: 'state', title: 'State', sort: (c) => c.state },
]
const SAYS = { kept: 'kept', 'put-back': 'put back', deleted: 'deleted' } as const
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>{{ kept.length === 0 ? 'Nothing is set aside' : `${plural(kept.length - archived, 'container')} set aside, ${archived} archived` }}</h1>
      <ContainerViews />
      <div class="toolbar">
        <BFormInput v-model="text" aria-label="Part of a name" placeholder="Part of a name" />
        <label class="small"><input v-model="gone" type="checkbox" /> also those put back or deleted</label>
        <a :href="addressOf('setAsideExport')" download>Export CSV</a>
      </div>
      <p v-if="refused ?? notLet" class="madder" role="alert">{{ problemWords(refused ?? notLet) }}</p>
      <JobSteps v-if="jobId" :id="jobId" :key="jobId" />
      <DataTable
        :columns="columns"
        :rows="lines"
        :row-key="(c) => c.id"
        label="Containers set aside"
        :empty="kept.length === 0 ? 'Nothing has been set aside. It is done from the page of a container.' : 'None matches.'"
      >
        <template #file="{ row }"
          ><span class="mono">{{ row.share }}\{{ row.file.replaceAll('/', '\\') }}</span>
          <div v-if="row.keptOn !== row.share" class="quiet small">
            archived on <span class="mono">{{ row.keptOn }}</span>
          </div></template
        >
        <template #bytes="{ row }">{{ size(row.bytes) }}</template>
        <template #at="{ row }"
          ><span :title="exact(row.atMs)">{{ day(row.atMs) }}</span></template
        >
        <template #author="{ row }">{{ row.author }}</template>
        <template #until="{ row }"
          ><span v-if="row.state !== 'kept'"></span
          ><BButton v-else-if="row.untilMs === null" variant="link" :disabled="!session.isAdministrator" @click="letGo(row.id)"
            >delete in 14 days</BButton
          ><span v-else :title="exact(row.untilMs)">{{ day(row.untilMs) }}</span></template
        >
        <template #state="{ row }"
          ><BButton v-if="row.state === 'kept'" variant="outline-secondary" :disabled="!session.isAdministrator" @click="putBack(row.id)"
            >Put back</BButton
          ><span v-else class="quiet">{{ SAYS[row.state] }}</span></template
        >
      </DataTable>
    </section>
    <aside class="margin" aria-label="About this">
      <h2>What this is</h2>
      <p>
        A container is not deleted at once. It is moved into a folder of its share, where no host looks for it, and kept for two weeks; the old one of
        a move for as long as was said.
      </p>
      <p>An archived one is kept until somebody says that it may go, and then for two weeks more.</p>
    </aside>
  </div>
</template>
