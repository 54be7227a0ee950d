<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import type { PolicyPage, Settings } from '../../contract/other'
import { readLocation } from '../../core/policies'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { isoOf, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, ProblemError } from '../shell/api'
import { useSession } from '../shell/session'
import { useDraft } from './draft'
import FileRoamingFields from './FileRoamingFields.vue'
import PathRules from './PathRules.vue'
import PolicyViews from './PolicyViews.vue'

const session = useSession()
const client = useQueryClient()
const { data: policy, isPending, error, refetch } = useQuery({ queryKey: ['policy'], queryFn: () => call('policy', {}) })
const draft = ref<Settings | null>(null)
const editing = computed(() => draft.value !== null)
const proposal = useDraft()
const proposedFrom = ref<string | null>(null)
const edit = () => {
  if (policy.value) draft.value = structuredClone(JSON.parse(JSON.stringify(policy.value.settings)) as Settings)
}
// What another page proposes opens as a draft.
watch(
  policy,
  (page) => {
    if (!page || !session.isAdministrator || !proposal.proposed) return
    edit()
    const taken = proposal.take()
    if (draft.value && taken) draft.value = { ...draft.value, ...(JSON.parse(JSON.stringify(taken.settings)) as Partial<Settings>) }
    proposedFrom.value = taken?.from ?? null
  },
  { immediate: true },
)
const asked = refDebounced(
  computed(() => JSON.stringify(draft.value)),
  250,
)
const { data: preview } = useQuery({
  queryKey: ['preview', asked],
  queryFn: () => call('policyPreview', { body: JSON.parse(asked.value) as Settings }),
  enabled: computed(() => asked.value !== 'null'),
})
const {
  mutate: publish,
  error: refused,
  isPending: publishing,
  reset,
} = useMutation({
  mutationFn: () =>
    call('policyPublish', { body: { settings: preview.value?.settings ?? (draft.value as Settings), basedOn: policy.value?.version ?? 0 } }),
  onSuccess: (page) => {
    client.setQueryData(['policy'], page)
    draft.value = null
  },
})
watch(draft, () => reset(), { deep: true })
const faultOf = (path: string) => preview.value?.faults.find((fault) => fault.path === path)?.sentence
const locationFault = (index: number) => {
  const reading = readLocation(draft.value?.locations[index] ?? '')
  return reading.ok ? faultOf(`locations.${index}`) : reading.sentence
}
function move(index: number, by: number): void {
  const list = draft.value?.locations
  const [one] = list?.splice(index, 1) ?? []
  if (one !== undefined) list?.splice(index + by, 0, one)
}
function setSlow(pool: string, value: string): void {
  if (!draft.value) return
  const { [pool]: _, ...rest } = draft.value.slowSecondsByPool
  draft.value.slowSecondsByPool = Number(value) > 0 ? { ...rest, [pool]: Number(value) } : rest
}
const s = computed(() => policy.value?.settings)
type HostLine = PolicyPage['hosts'][number]
const states = computed(() => {
  const counts = new Map<string, number>()
  for (const { state } of policy.value?.hosts ?? []) counts.set(state, (counts.get(state) ?? 0) + 1)
  return counts
})
const onlyOdd = ref(false)
const hosts = computed(() => (policy.value?.hosts ?? []).filter(({ state }) => !onlyOdd.value || state !== 'as it should be'))
const RANK: Record<string, number> = { differs: 0, 'restart needed': 1, 'never reported': 2, 'as it should be': 3 }
const sorted = computed(() => [...hosts.value].sort((a, b) => (RANK[a.state] ?? 9) - (RANK[b.state] ?? 9) || a.host.localeCompare(b.host)))
const columns: Column<HostLine>[] = [
  { key: 'host', title: 'Host', sort: (h) => h.host },
  { key: 'pool', title: 'Pool', sort: (h) => h.pool },
  { key: 'state', title: 'In force', sort: (h) => h.state },
  { key: 'version', title: 'Version', number: true, sort: (h) => h.version },
  { key: 'reported', title: 'Reported', sort: (h) => h.reportedMs, csv: (h) => isoOf(h.reportedMs) },
]
</script>

<template>
  <PageState v-if="!policy || !s" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>The base policy</h1>
      <PolicyViews />
      <div class="sub">
        Version {{ policy.version }}<template v-if="policy.publishedMs">, published {{ when(policy.publishedMs) }} by {{ policy.author }}</template
        >. It applies to everybody: {{ plural(policy.people, 'person', 'people') }} on {{ plural(policy.hosts.length, 'host') }}.
      </div>
      <div v-if="!draft" class="sentences">
        <p>
          Containers are <strong>{{ s.containers }}</strong>; each is a
          <strong>{{ s.diskFormat === 'vhdx-dynamic' ? 'VHDX file that grows with use' : 'VHDX file of full size' }}</strong>, of at most
          <strong>{{ s.sizeLimitMib % 1024 === 0 ? `${s.sizeLimitMib / 1024} GiB` : `${s.sizeLimitMib} MiB` }}</strong>.
        </p>
        <p v-if="s.locationsMode === 'mirrored'">
          They are kept at all of these at once; <strong>{{ s.locationsRequired }} of {{ s.locations.length }}</strong> must be writable:
        </p>
        <p v-else>They lie at the first of these that can be had:</p>
        <ol>
          <li v-for="location in s.locations" :key="location" class="mono">{{ location }}</li>
        </ol>
        <p v-if="s.locations.length === 0" class="quiet">No location is set.</p>
        <p>
          When none can be had, <strong>{{ s.onFailure === 'refuse' ? 'refuse the logon' : 'give a temporary profile' }}</strong>.
        </p>
        <p>
          A logon is slow beyond <strong>{{ s.slowSeconds }} s</strong
          ><template v-for="(seconds, pool) in s.slowSecondsByPool" :key="pool"
            >, on {{ pool }} beyond <strong>{{ seconds }} s</strong></template
          >.
        </p>
        <p>
          Where files roam instead, they are fetched
          <strong>{{ s.fileRoaming.fetch === 'at-logon' ? 'all at logon' : 'when they are opened' }}</strong> and written back
          <strong>{{ s.fileRoaming.writeBack === 'at-logoff' ? 'at logoff' : 'during the session' }}</strong>;
          <RouterLink to="/file-roaming">try a day</RouterLink>.
        </p>
        <p v-if="s.pathRules.length">
          Of profiles is left out:
          <template v-for="(rule, i) in s.pathRules.filter((one) => one.does === 'skip')" :key="i"
            ><template v-if="i">, </template><span class="mono">{{ rule.pattern }}</span></template
          ><template v-if="s.pathRules.some((one) => one.does !== 'skip')"
            >; with {{ plural(s.pathRules.filter((one) => one.does !== 'skip').length, 'other rule') }}</template
          >. <RouterLink to="/inside">Try rules</RouterLink>
        </p>
        <p v-else>Everything in a profile is kept. <RouterLink to="/inside">Try path rules</RouterLink></p>
        <BButton v-if="session.isAdministrator" variant="primary" @click="edit">Edit</BButton>
        <p v-else class="quiet small">Administrators can edit it.</p>
      </div>
      <form v-else class="edit" @submit.prevent="publish()">
        <p v-if="proposedFrom" class="moss" role="status">Taken into this draft: {{ proposedFrom }}.</p>
        <label
          >Containers
          <select v-model="draft.containers" class="form-select">
            <option value="on">on</option>
            <option value="off">off</option>
          </select></label
        >
        <fieldset>
          <legend>Locations</legend>
          <div v-for="(_, index) in draft.locations" :key="index" class="location">
            <BFormInput
              :model-value="draft.locations[index] ?? ''"
              class="mono"
              @update:model-value="draft.locations[index] = String($event ?? '')"
              :aria-label="`Location ${index + 1}`"
              :state="locationFault(index) ? false : null"
              placeholder="\\server\share\folder"
            />
            <button type="button" class="bare" :disabled="index === 0" :aria-label="`Move location ${index + 1} up`" @click="move(index, -1)">
              <i-lucide-arrow-up />
            </button>
            <button type="button" class="bare" :aria-label="`Take location ${index + 1} away`" @click="draft.locations.splice(index, 1)">
              <i-lucide-x />
            </button>
            <p v-if="locationFault(index)" class="madder small fault" role="alert">{{ locationFault(index) }}</p>
          </div>
          <p v-if="faultOf('locations')" class="madder small" role="alert">{{ faultOf('locations') }}</p>
          <BButton variant="link" @click="draft.locations.push('')">Add a location</BButton>
        </fieldset>
        <label
          >They are used
          <select v-model="draft.locationsMode" class="form-select">
            <option value="in-order">in order: the first that can be had</option>
            <option value="mirrored">mirrored: all at once, through a journal on the host</option>
          </select></label
        >
        <label v-if="draft.locationsMode === 'mirrored'"
          >Of these must be writable <BFormInput v-model.number="draft.locationsRequired" type="number" min="1" :max="draft.locations.length" />
          <span v-if="faultOf('locationsRequired')" class="madder small" role="alert">{{ faultOf('locationsRequired') }}</span></label
        >
        <label>Size limit of a container, MiB <BFormInput v-model.number="draft.sizeLimitMib" type="number" min="64" max="4194304" /></label>
        <label
          >Disk format
          <select v-model="draft.diskFormat" class="form-select">
            <option value="vhdx-dynamic">VHDX, grows with use</option>
            <option value="vhdx-fixed">VHDX, full size at once</option>
          </select></label
        >
        <label
          >When the container cannot be had
          <select v-model="draft.onFailure" class="form-select">
            <option value="refuse">refuse the logon</option>
            <option value="temporary">give a temporary profile</option>
          </select></label
        >
        <label>A logon is slow beyond, s <BFormInput v-model.number="draft.slowSeconds" type="number" min="1" max="3600" /></label>
        <fieldset>
          <legend>… on these pools instead (blank: as above), s</legend>
          <div class="slow">
            <label v-for="pool in policy.pools" :key="pool"
              >{{ pool }}
              <BFormInput
                type="number"
                min="1"
                max="3600"
                :model-value="draft.slowSecondsByPool[pool] ?? ''"
                @update:model-value="setSlow(pool, String($event))"
            /></label>
          </div>
        </fieldset>
        <fieldset>
          <legend>File roaming, on pools that work with it</legend>
          <FileRoamingFields v-model="draft.fileRoaming" />
          <p v-if="faultOf('fileRoaming.startingProfile')" class="madder small" role="alert">{{ faultOf('fileRoaming.startingProfile') }}</p>
        </fieldset>
        <fieldset>
          <legend>Path rules</legend>
          <PathRules v-model="draft.pathRules" :result="null" />
        </fieldset>
      </form>
      <h2>Proof: what hosts report</h2>
      <div class="toolbar">
        <span
          ><template v-for="[state, n] in states" :key="state"
            ><strong>{{ n }}</strong> {{ state }}&ensp;</template
          ></span
        >
        <label class="small"><input v-model="onlyOdd" type="checkbox" /> only those that are not as they should be</label>
      </div>
      <DataTable
        :columns="columns"
        :rows="sorted"
        :row-key="(h) => h.host"
        label="Proof"
        csv="in-force"
        :empty="onlyOdd ? 'Every host is as it should be.' : 'No host has reported yet.'"
      >
        <template #host="{ row }"
          ><RouterLink class="mono" :to="{ path: '/logons', query: { host: row.host } }">{{ row.host }}</RouterLink></template
        >
        <template #pool="{ row }">{{ row.pool }}</template>
        <template #state="{ row }"
          ><span :class="{ madder: row.state === 'differs', ochre: row.state === 'restart needed', quiet: row.state === 'never reported' }">{{
            row.state
          }}</span>
          <div v-for="one in row.differences" :key="one.setting" class="small quiet">
            {{ one.title }}: reports {{ one.before }}, should be {{ one.after }}
          </div></template
        >
        <template #version="{ row }">{{ row.version ?? '–' }}</template>
        <template #reported="{ row }">{{ row.reportedMs === null ? 'never' : when(row.reportedMs) }}</template>
      </DataTable>
    </section>
    <aside class="margin" aria-label="What would change">
      <template v-if="editing">
        <h2>What would change</h2>
        <template v-if="preview">
          <p v-if="preview.faults.length" class="madder">{{ plural(preview.faults.length, 'entry', 'entries') }} could not be used by hosts.</p>
          <p v-else-if="preview.changes.length === 0" class="quiet">Nothing yet.</p>
          <div v-for="change in preview.changes" :key="change.setting" class="change">
            <strong>{{ change.title }}</strong><br /><span class="quiet">{{ change.before }}</span> → {{ change.after
            }}<span v-if="change.needsRestart" class="ochre"><br />takes a restart of each host</span>
          </div>
          <template v-if="preview.changes.length && preview.ok">
            <p v-if="preview.hosts">
              {{ plural(preview.hosts, 'host') }} will fetch it; it reaches {{ plural(preview.people, 'person', 'people') }} at their next
              logon.<template v-if="preview.hostsToRestart">
                {{ plural(preview.hostsToRestart, 'host') }} must be restarted before all of it is in force.</template
              >
            </p>
            <p v-if="preview.slowBefore !== preview.slowAfter">
              Of the logons of the last 7 days {{ preview.slowAfter.toLocaleString('en-GB') }} would count as slow, instead of
              {{ preview.slowBefore.toLocaleString('en-GB') }}. Only later logons are judged by the new limit.
            </p>
          </template>
        </template>
        <BButton
          variant="primary"
          class="w-100 text-start mb-2"
          :disabled="!preview?.ok || preview.changes.length === 0 || publishing"
          @click="publish()"
          >Publish as version {{ policy.version + 1 }}</BButton
        >
        <BButton variant="outline-secondary" class="w-100 text-start" @click="((draft = null), (proposedFrom = null))">Throw the draft away</BButton>
        <p v-if="refused" class="madder" role="alert">
          {{ refused instanceof ProblemError ? (refused.detail ?? refused.title) : 'The server does not answer.' }}
        </p>
      </template>
      <h2>Versions</h2>
      <div v-for="version in policy.history" :key="version.version" class="change">
        <strong>{{ version.version }}</strong> <span class="quiet small">{{ when(version.publishedMs) }}, {{ version.author }}</span>
        <div v-for="line in version.changes" :key="line" class="small">{{ line }}</div>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.sentences {
  font-size: 15px;
  max-width: 64ch;
}
.sentences p {
  margin: 0 0 6px;
}
.edit {
  display: grid;
  gap: 12px;
  max-width: 560px;
}
.edit label,
legend {
  font-size: 12.5px;
  color: var(--ink-2);
}
fieldset {
  border: 0;
  padding: 0;
  margin: 0;
}
.location {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 28px 28px;
  gap: 4px;
  margin-bottom: 6px;
}
.fault {
  grid-column: 1 / -1;
  margin: 0;
}
.slow {
  display: grid;
  grid-template-columns: repeat(3, 1fr);
  gap: 8px;
}
.change {
  border-top: 1px solid var(--hair);
  padding: 7px 0;
}
</style>
