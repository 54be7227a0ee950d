<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { ContainerLine } from '../../contract/containers'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { count, exact, percent, plural, size, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { addressOf, call } from '../shell/api'
import { useSession } from '../shell/session'
import ContainerViews from './ContainerViews.vue'
import ManyActions from './ManyActions.vue'
import ScanState from './ScanState.vue'
import { growthSays, weightClass } from './words'

const route = useRoute()
const router = useRouter()
const text = ref(String(route.query['text'] ?? ''))
const asked = refDebounced(text, 200)
const set = (name: string, value: string) => router.replace({ query: { ...route.query, [name]: value || undefined } })
watch(asked, (value) => {
  void set('text', value)
})
const share = computed(() => (typeof route.query['share'] === 'string' ? route.query['share'] : ''))
const HELD = ['all', 'held', 'stale'] as const
const held = computed(() => HELD.find((one) => one === route.query['held']) ?? 'all')
const finding = computed(() => (typeof route.query['finding'] === 'string' ? route.query['finding'] : ''))
const query = computed(() => ({ text: asked.value, share: share.value || undefined, held: held.value, finding: finding.value || undefined }))
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['containers', query],
  queryFn: ({ signal }) => call('containers', { query: query.value }, signal),
  placeholderData: keepPreviousData,
})
const columns: Column<ContainerLine>[] = [
  { key: 'person', title: 'Person', sort: (c) => c.name ?? c.person },
  { key: 'file', title: 'File', sort: (c) => c.id },
  { key: 'inside', title: 'Inside', number: true, sort: (c) => c.allocatedBytes },
  { key: 'limit', title: 'Of its limit', number: true, sort: (c) => c.allocatedBytes / Math.max(1, c.virtualBytes) },
  { key: 'grew', title: 'Grew', number: true, sort: (c) => c.grewBytes },
  { key: 'disk', title: 'On disk', number: true, sort: (c) => c.diskBytes },
  { key: 'used', title: 'Last used', sort: (c) => c.lastUsedMs },
  { key: 'holder', title: 'Holder', sort: (c) => c.holderHost },
  { key: 'upkeep', title: 'To look at', sort: (c) => UPKEEP_ORDER.indexOf(c.upkeep[0]?.weight ?? '') },
]
const UPKEEP_ORDER = ['', 'tidy', 'soon', 'now']
const titleOf = (code: string) => data.value?.findings.find((one) => one.code === code)?.title ?? code
const go = (c: ContainerLine) => {
  void router.push(`/containers/${encodeURIComponent(c.id)}`)
}
const session = useSession()
const selected = ref<(string | number)[]>([])
const chosen = computed(() => data.value?.containers.filter(({ id }) => selected.value.includes(id)) ?? [])
watch(query, () => {
  selected.value = []
})
</script>

<template>
  <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>{{ plural(data.total, 'container') }} on {{ plural(data.shares.length, 'share') }}</h1>
      <ContainerViews />
      <ScanState :scanned-ms="data.scannedMs" />
      <div class="toolbar">
        <BFormInput v-model="text" aria-label="Part of a name" placeholder="Part of a person, file or host" />
        <select class="form-select" aria-label="Share" :value="share" @change="set('share', ($event.target as HTMLSelectElement).value)">
          <option value="">every share</option>
          <option v-for="one in data.shares" :key="one.id" :value="one.path">{{ one.path }}</option>
        </select>
        <select class="form-select" aria-label="Holder" :value="held" @change="set('held', ($event.target as HTMLSelectElement).value)">
          <option value="all">held or not</option>
          <option value="held">held now</option>
          <option value="stale">held by a dead session</option>
        </select>
        <select class="form-select" aria-label="To look at" :value="finding" @change="set('finding', ($event.target as HTMLSelectElement).value)">
          <option value="">all of them</option>
          <option value="any">with anything to look at</option>
          <option v-for="one in data.findings" :key="one.code" :value="one.code">{{ one.title }}</option>
        </select>
        <a class="export" :href="addressOf('containersExport', { query })" download>Export CSV</a>
      </div>
      <ManyActions v-if="selected.length" :chosen="chosen" :shares="data.shares" @clear="selected = []" />
      <DataTable
        v-model:selected="selected"
        :selectable="session.isAdministrator"
        :columns="columns"
        :rows="data.containers"
        :most="100"
        :row-key="(c) => c.id"
        :go="go"
        label="Containers"
        :empty="
          data.total === 0
            ? 'No container has been found on a share yet. One appears at a person’s first logon; the shares are looked at every 20 s.'
            : 'No container matches. Take away a filter.'
        "
      >
        <template #person="{ row }"
          ><RouterLink v-if="row.person && row.name" class="plum" @click.stop :to="`/people/${encodeURIComponent(row.person)}`">{{
            row.name
          }}</RouterLink
          ><span v-else class="quiet">nobody</span></template
        >
        <template #file="{ row }"
          ><RouterLink class="mono" :to="`/containers/${encodeURIComponent(row.id)}`" :title="row.id" @click.stop
            ><template v-for="(piece, i) in row.file.split('/')" :key="i"
              ><template v-if="i">\<wbr /></template>{{ piece }}</template
            ></RouterLink
          ></template
        >
        <template #inside="{ row }">{{ size(row.allocatedBytes) }}</template>
        <template #limit="{ row }"
          ><span class="quiet" :title="`of ${size(row.virtualBytes)}`">{{
            percent(row.allocatedBytes / Math.max(1, row.virtualBytes))
          }}</span></template
        >
        <template #grew="{ row }"
          ><span v-if="row.grewBytes && row.grewSinceMs" :title="`since ${exact(row.grewSinceMs)}`">{{ growthSays(row.grewBytes) }}</span
          ><span v-else class="stone">–</span></template
        >
        <template #disk="{ row }">{{ size(row.diskBytes) }}</template>
        <template #used="{ row }"
          ><span v-if="row.lastUsedMs" class="nowrap" :title="exact(row.lastUsedMs)">{{ when(row.lastUsedMs) }}</span></template
        >
        <template #holder="{ row }"
          ><span
            v-if="row.holderHost"
            :class="{ madder: row.holderAlive === false }"
            :title="row.heldSinceMs ? `since ${exact(row.heldSinceMs)}` : ''"
            ><span class="mono">{{ row.holderHost }}</span
            >{{ row.holderAlive === false ? ' no such session' : '' }}</span
          ><span v-else class="stone">free</span></template
        >
        <template #upkeep="{ row }"
          ><span v-for="one in row.upkeep" :key="one.code" class="upkeep" :class="weightClass(one.weight)" :title="one.sentence">{{
            titleOf(one.code)
          }}</span></template
        >
      </DataTable>
    </section>
    <aside class="margin" aria-label="What to look at, and the shares">
      <h2>To look at</h2>
      <p v-if="data.findings.length === 0" class="quiet">
        {{ data.total === 0 ? 'Nothing yet.' : 'Nothing: every container belongs to somebody and is sound.' }}
      </p>
      <ul class="findings">
        <li v-for="one in data.findings" :key="one.code">
          <RouterLink :class="weightClass(one.weight)" :to="{ query: { ...route.query, finding: one.code } }">{{ one.title }}</RouterLink>
          <span class="number"
            >{{ count(one.n) }} <span class="quiet small">{{ size(one.bytes) }}</span></span
          >
        </li>
      </ul>
      <RouterLink to="/set-aside">Set aside</RouterLink>
      <h2>Shares</h2>
      <div v-for="one in data.shares" :key="one.id" class="share">
        <RouterLink class="mono" :to="`/shares/${encodeURIComponent(one.id)}`">{{ one.path }}</RouterLink>
        <div>
          <template v-if="one.zone">zone {{ one.zone }} · </template>{{ plural(one.containers, 'container') }}, {{ one.held }} held
        </div>
        <div class="quiet">{{ size(one.freeBytes) }} free of {{ size(one.totalBytes) }} ({{ percent(one.freeBytes / one.totalBytes) }})</div>
        <BProgress :value="100 - (100 * one.freeBytes) / one.totalBytes" :aria-label="`Used: ${percent(1 - one.freeBytes / one.totalBytes)}`" />
        <div class="quiet small">
          containers take {{ size(one.allocatedBytes) }} inside<template v-if="one.latencyMs !== null">
            · latency {{ one.latencyMs.toFixed(1) }} ms</template
          >
        </div>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.export {
  margin-left: auto;
}
ul.findings {
  list-style: none;
  padding: 0;
  margin: 0 0 8px;
}
ul.findings li {
  display: flex;
  justify-content: space-between;
}
.upkeep {
  display: block;
  white-space: nowrap;
}
.share {
  border-top: 1px solid var(--hair);
  padding: 10px 0;
  display: grid;
  gap: 3px;
}
</style>
