<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { PersonLine } from '../../contract/other'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { count, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { addressOf, call } from '../shell/api'
import { useSession } from '../shell/session'
import OrganisationFile from './OrganisationFile.vue'

const route = useRoute()
const session = useSession()
const router = useRouter()
const text = ref(String(route.query['text'] ?? ''))
const asked = refDebounced(text, 200)
watch(asked, (value) => {
  void router.replace({ query: { ...route.query, text: value || undefined } })
})
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['people', asked],
  queryFn: ({ signal }) => call('people', { query: { text: asked.value } }, signal),
  placeholderData: keepPreviousData,
})
/** Shown at once where nobody is known; it stays open when they are. */
const directoryShown = ref(false)
watch(
  () => data.value?.total,
  (total) => (directoryShown.value ||= total === 0),
  { immediate: true },
)
const columns: Column<PersonLine>[] = [
  { key: 'name', title: 'Person', sort: (p) => p.name },
  { key: 'groups', title: 'Groups', sort: (p) => p.groups.join() },
  { key: 'last', title: 'Last logon', sort: (p) => p.lastMs },
  { key: 'attempts', title: 'Logons, 7 days', number: true, sort: (p) => p.attempts },
  { key: 'bad', title: 'Spoiled', number: true, sort: (p) => p.bad },
]
const open = (person: PersonLine) => void router.push(`/people/${encodeURIComponent(person.id)}`)
</script>

<template>
  <section class="work">
    <h1>People</h1>
    <div class="sub" v-if="data">
      {{ plural(data.total, 'person is', 'people are') }} known{{
        data.people.length < data.total ? `; ${count(data.people.length)} are listed here` : ''
      }}. Spoiled logons of the last 7 days cost them time.
    </div>
    <div class="toolbar">
      <BFormInput v-model="text" aria-label="Part of a name" placeholder="Part of a name or account" /><a
        class="export"
        :href="addressOf('peopleExport', { query: { text: asked } })"
        download
        >Export CSV</a
      >
    </div>
    <details
      v-if="session.isAdministrator"
      class="directory"
      :open="directoryShown"
      @toggle="directoryShown = ($event.target as HTMLDetailsElement).open"
    >
      <summary class="quiet">Where people, groups, pools and hosts come from</summary>
      <p class="quiet small">
        From the directory: sent by a program to <code>PUT /api/directory</code> with a token, or given here as a file. Both are
        <a href="/api/openapi.json" target="_blank">org.json</a>.
      </p>
      <OrganisationFile />
    </details>
    <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
    <DataTable
      v-else
      :columns="columns"
      :rows="data.people"
      :row-key="(p) => p.id"
      :go="open"
      label="People"
      :empty="asked ? `Nobody has “${asked}” in a name or account.` : 'The directory has not told of anybody yet.'"
    >
      <template #name="{ row }"
        ><RouterLink class="plum" :to="`/people/${encodeURIComponent(row.id)}`" @click.stop>{{ row.name }}</RouterLink>
        <span class="mono quiet">{{ row.id }}</span><span v-if="!row.enabled" class="madder"> switched off</span></template
      >
      <template #groups="{ row }">{{ row.groups.join(', ') }}</template>
      <template #last="{ row }">{{ row.lastMs === null ? 'none in 7 days' : when(row.lastMs) }}</template>
      <template #attempts="{ row }">{{ row.attempts }}</template>
      <template #bad="{ row }"
        ><strong v-if="row.bad">{{ row.bad }}</strong
        ><span v-else class="quiet">0</span></template
      >
    </DataTable>
  </section>
</template>

<style scoped>
.directory {
  margin-bottom: 12px;
}
</style>
