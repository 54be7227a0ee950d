<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { SetAsideLine } from '../../contract/containers'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { day, exact, plural, size } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

const session = useSession()
const client = useQueryClient()
const { data, isPending, error, refetch } = useQuery({ queryKey: ['set-aside'], queryFn: ({ signal }) => call('setAside', {}, signal) })
const { mutate, error: refused } = useMutation({
  mutationFn: (id: string) => call('setAsidePutBack', { params: { id } }),
  onSuccess: () => client.invalidateQueries({ queryKey: ['set-aside'] }),
})
const kept = computed(() => data.value?.containers.filter(({ state }) => state === 'kept').length ?? 0)
const columns: Column<SetAsideLine>[] = [
  { key: 'file', title: 'Container', sort: (c) => c.file },
  { key: 'bytes', title: 'Inside', number: true, sort: (c) => c.bytes },
  { key: 'at', title: 'Set aside', sort: (c) => c.atMs },
  { key: 'author', title: 'By', sort: (c) => c.author },
  { key: 'until', title: 'Deleted on', sort: (c) => c.untilMs },
  { key: 'state', title: '', sort: (c) => c.state },
]
const SAYS = { kept: 'kept', 'put-back': 'put back', deleted: 'deleted' } as const
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>{{ kept === 0 ? 'Nothing is set aside' : `${plural(kept, 'container')} set aside` }}</h1>
      <div class="sub">Out of use, but still on their share until the day they are deleted. Putting one back is possible until then.</div>
      <p v-if="refused" class="madder" role="alert">{{ problemWords(refused) }}</p>
      <DataTable
        :columns="columns"
        :rows="data.containers"
        :row-key="(c) => c.id"
        label="Containers set aside"
        empty="Nothing has been set aside. It is done from the page of a container."
      >
        <template #file="{ row }"
          ><span class="mono">{{ row.share }}\{{ row.file.replaceAll('/', '\\') }}</span></template
        >
        <template #bytes="{ row }">{{ size(row.bytes) }}</template>
        <template #at="{ row }"
          ><span :title="exact(row.atMs)">{{ day(row.atMs) }}</span></template
        >
        <template #author="{ row }">{{ row.author }}</template>
        <template #until="{ row }"
          ><span :title="exact(row.untilMs)">{{ row.state === 'kept' ? day(row.untilMs) : '' }}</span></template
        >
        <template #state="{ row }"
          ><BButton v-if="row.state === 'kept'" variant="outline-secondary" :disabled="!session.isAdministrator" @click="mutate(row.id)"
            >Put back</BButton
          ><span v-else class="quiet">{{ SAYS[row.state] }}</span></template
        >
      </DataTable>
    </section>
    <aside class="margin" aria-label="About this">
      <h2>What this is</h2>
      <p>A container is not deleted at once. It is moved into a folder of its share, where no host looks for it, and kept for two weeks.</p>
      <RouterLink to="/containers">All containers</RouterLink>
    </aside>
  </div>
</template>
