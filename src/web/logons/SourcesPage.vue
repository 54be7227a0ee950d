<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { encodingOf } from '../../core/formats'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { clockSeconds, duration, exact, isoOf, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import type { Output } from '../../contract/routes'
import { useSession } from '../shell/session'
import LogonViews from './LogonViews.vue'

const session = useSession()
const client = useQueryClient()
const { data, isPending, error, refetch } = useQuery({ queryKey: ['event-maps'], queryFn: () => call('eventMaps', {}) })
const EXAMPLE = `rules:
  - provider: Larkmere-Attach
    id: 7
    observe: phase
    phase: container
    person: "{Who}"
    elapsed: { fields: Ms, unit: ms }
    attrs: { share: "{Share}" }
`
const name = ref('')
const yaml = ref(EXAMPLE)
const sample = ref('')
const sampleName = ref('')
const preview = useMutation({ mutationFn: () => call('eventMapPreview', { body: { yaml: yaml.value, sample: sample.value } }) })
const fresh = () => client.invalidateQueries({ queryKey: ['event-maps'] })
const keeping = useMutation({
  mutationFn: () => call('eventMapKeep', { params: { id: name.value.trim() }, body: { yaml: yaml.value } }),
  onSuccess: fresh,
})
const forgetting = useMutation({ mutationFn: (id: string) => call('eventMapForget', { params: { id } }), onSuccess: fresh })
function edit(map: Output<'eventMaps'>['own'][number]): void {
  name.value = map.name
  yaml.value = map.yaml
  preview.reset()
}
/** The beginning of a file of events, read here: it is not kept. */
async function take(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  const bytes = new Uint8Array(await file.slice(0, 900_000).arrayBuffer())
  sample.value = new TextDecoder(encodingOf(bytes)).decode(bytes).slice(0, 900_000)
  sampleName.value = file.name
  preview.mutate()
}
type Shipped = Output<'eventMaps'>['shipped'][number]
const columns: Column<Shipped>[] = [
  { key: 'provider', title: 'Provider', sort: (r) => r.provider },
  { key: 'id', title: 'Event', number: true, sort: (r) => r.id },
  { key: 'observe', title: 'Gives', sort: (r) => r.observe },
  { key: 'says', title: 'What it says', csv: (r) => r.says ?? null },
]
const clocks = useQuery({ queryKey: ['clocks'], queryFn: () => call('clocks', {}), refetchInterval: 60_000 })
type Clock = Output<'clocks'>['clocks'][number]
const clockColumns: Column<Clock>[] = [
  { key: 'machine', title: 'Machine', sort: (r) => r.machine },
  { key: 'offset', title: 'Its clock is', number: true, sort: (r) => r.offsetMs, unit: 'ms ahead' },
  { key: 'n', title: 'Told by', number: true, sort: (r) => r.n },
  { key: 'since', title: 'Found', sort: (r) => r.sinceMs, csv: (r) => isoOf(r.sinceMs) },
]
const rows = computed(() => (data.value?.shipped ?? []).map((rule, i) => ({ ...rule, key: i })))
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>What events mean</h1>
      <div class="sub">
        Event logs become logons by rules: which event begins or ends what, and of whom it speaks. Your own rules are asked beside the shipped ones.
      </div>
      <LogonViews />
      <template v-if="clocks.data.value?.clocks.length">
        <h2 id="clocks">Clocks that are off</h2>
        <p class="quiet small">By the order in which machines hand a logon over. What they time is put right; the story of each logon says so.</p>
        <DataTable
          :columns="clockColumns"
          :rows="clocks.data.value.clocks"
          :row-key="(r) => r.machine"
          label="Clocks that are off"
          csv="clocks"
          empty=""
        >
          <template #machine="{ row }">
            <template v-if="!row.named">{{ row.machine }}</template>
            <RouterLink v-else :to="{ path: '/logons', query: { host: row.machine } }" class="mono">{{ row.machine }}</RouterLink>
          </template>
          <template #offset="{ row }">
            {{ duration(Math.abs(row.offsetMs)) }} {{ row.offsetMs > 0 ? 'ahead' : 'behind' }}
            <span class="quiet small">± {{ duration(row.uncertaintyMs) }}</span>
            <div v-if="row.beyondTickets" class="madder small">tickets are refused beyond 5 min</div>
          </template>
          <template #n="{ row }">{{ plural(row.n, 'logon') }}</template>
          <template #since="{ row }"
            ><span :title="exact(row.sinceMs)">{{ when(row.sinceMs) }}</span></template
          >
        </DataTable>
      </template>
      <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <template v-else>
        <h2>Your own</h2>
        <p v-if="data.own.length === 0" class="quiet">None yet. Write rules in the margin for a provider that is not among the shipped ones.</p>
        <div v-for="map in data.own" :key="map.name" class="own">
          <strong>{{ map.name }}</strong> {{ plural(map.rules, 'rule') }}
          <span class="quiet small" :title="exact(map.atMs)">{{ map.author }}, {{ when(map.atMs) }}</span>
          <BButton variant="link" class="small" @click="edit(map)">Edit</BButton>
          <BButton v-if="session.isAdministrator" variant="link" class="small" @click="forgetting.mutate(map.name)">Forget</BButton>
        </div>
        <template v-if="preview.data.value">
          <h2 id="preview">What these rules make of {{ sampleName || 'the sample' }}</h2>
          <ul v-if="preview.data.value.complaints.length" class="madder" role="alert">
            <li v-for="one in preview.data.value.complaints" :key="one.path + one.sentence">{{ one.path }}: {{ one.sentence }}</li>
          </ul>
          <p v-else-if="preview.data.value.of === 0" class="quiet">No observation came of it.</p>
          <div v-else class="scroll-x">
            <table class="plain" aria-label="Preview">
              <thead>
                <tr>
                  <th>At</th>
                  <th>Gives</th>
                  <th>Phase</th>
                  <th>Person</th>
                  <th>Host</th>
                  <th class="number">Took</th>
                  <th>Code, text, more</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(one, i) in preview.data.value.observations" :key="i">
                  <td class="nowrap" :title="exact(one.atMs)">{{ clockSeconds(one.atMs) }}</td>
                  <td>{{ one.kind }}</td>
                  <td>
                    {{ one.phase }}<template v-if="one.part"> “{{ one.part }}”</template>
                  </td>
                  <td>{{ one.person }}</td>
                  <td class="mono">{{ one.host }}</td>
                  <td class="number">
                    <template v-if="one.durationMs !== null">{{ duration(one.durationMs) }}</template>
                    <span v-else-if="one.kind === 'phase'" class="madder" title="The field that should say how long it took is missing, or no number."
                      >no time</span
                    >
                  </td>
                  <td class="small">
                    {{ [one.code, one.text, ...Object.entries(one.attrs).map(([k, v]) => `${k} ${v}`)].filter(Boolean).join(' · ') }}
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
          <template v-if="preview.data.value.notUnderstood.length">
            <h2>Not understood</h2>
            <ul class="quiet small">
              <li v-for="one in preview.data.value.notUnderstood.slice(0, 30)" :key="one">{{ one }}</li>
            </ul>
          </template>
        </template>
        <h2>Shipped</h2>
        <DataTable :columns="columns" :rows="rows" :row-key="(r) => r.key" label="Shipped rules" csv="event-rules" empty="">
          <template #provider="{ row }">{{ row.provider }}</template>
          <template #id="{ row }">{{ row.id }}</template>
          <template #observe="{ row }">{{ `${row.observe}${row.phase ? ` of ${row.phase}` : ''}` }}</template>
          <template #says="{ row }"
            ><span class="small">{{ row.says }}</span></template
          >
        </DataTable>
      </template>
    </section>
    <aside class="margin" aria-label="Your own rules">
      <h2>Rules of your own</h2>
      <label>Name <BFormInput v-model="name" maxlength="100" placeholder="attach-agent" /></label>
      <label
        >Rules, as YAML
        <textarea v-model="yaml" class="form-control mono" rows="12" wrap="off" spellcheck="false" />
      </label>
      <label>Try them on real events <input type="file" accept=".xml" class="form-control" @change="take" /></label>
      <div class="buttons">
        <BButton variant="outline-secondary" :disabled="!session.mayHelp || preview.isPending.value" @click="preview.mutate()">Try</BButton>
        <BButton variant="primary" :disabled="!session.isAdministrator || !name.trim() || keeping.isPending.value" @click="keeping.mutate()"
          >Keep</BButton
        >
      </div>
      <p v-if="preview.error.value" class="madder" role="alert">{{ problemWords(preview.error.value) }}</p>
      <p v-if="keeping.error.value" class="madder" role="alert">{{ problemWords(keeping.error.value) }}</p>
      <p v-else-if="keeping.isSuccess.value" class="moss" role="status">Kept. Files that are read from now on are read with it.</p>
    </aside>
  </div>
</template>

<style scoped>
.own {
  border-top: 1px solid var(--hair);
  padding: 6px 0;
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.margin label {
  display: grid;
  gap: 3px;
  margin-bottom: 10px;
}
textarea {
  font-size: 12px;
}
.buttons {
  display: flex;
  gap: 8px;
  margin-bottom: 8px;
}
</style>
