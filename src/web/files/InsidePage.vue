<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { readPattern, type FolderPicture, type RulesResult } from '../../core/files'
import type { PathRule } from '../../core/policies'
import ContainerViews from '../containers/ContainerViews.vue'
import { csvAddress } from '../kit/csv'
import { count, day, duration, plural, size } from '../kit/format'
import { useDraft } from '../policies/draft'
import PathRules from '../policies/PathRules.vue'
import { addressOf, call } from '../shell/api'
import { useSession } from '../shell/session'
import { useDesk } from './desk'
import FolderIcicle from './FolderIcicle.vue'
import type { ReadSums } from './inventory-desk'

const DEPTH = 4
const route = useRoute()
const router = useRouter()
const session = useSession()
const draft = useDraft()
const { ask, stop, busy, readBytes } = useDesk()
const { data: listed } = useQuery({
  queryKey: ['inventories'],
  queryFn: ({ signal }) => call('inventories', {}, signal),
  // Agents leave them on the shares, of which no event tells.
  refetchInterval: (query) => (query.state.data?.inventories.length === 0 ? 5000 : false),
})
const { data: policy } = useQuery({ queryKey: ['policy'], queryFn: () => call('policy', {}) })
const person = computed(() => (typeof route.query['person'] === 'string' ? route.query['person'] : ''))
const sums = ref<ReadSums | null>(null)
const picture = ref<FolderPicture | null>(null)
const chosen = ref<FolderPicture | null>(null)
const trail = ref<FolderPicture[]>([])
const problem = ref<string | null>(null)
const rules = ref<PathRule[]>([])
const result = ref<RulesResult | null>(null)
const perFileMs = ref(6)
const mbPerSecond = ref(60)
const over = ref(false)

async function read(source: { url: string } | { file: Blob; name: string }, again = true): Promise<void> {
  problem.value = null
  try {
    sums.value = await ask({ ask: 'read', source, again })
    trail.value = []
    picture.value = await ask({ ask: 'picture', folder: 0, depth: DEPTH })
    chosen.value = null
    await tryOut()
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error)
  }
}
const fromAgents = () => read({ url: addressOf('inventoryLines', person.value ? { query: { person: person.value } } : {}) })
async function drop(files: FileList | null | undefined): Promise<void> {
  over.value = false
  for (const [i, file] of [...(files ?? [])].entries()) await read({ file, name: file.name }, i === 0)
}
async function go(folder: FolderPicture): Promise<void> {
  if (folder.children.length === 0 && folder.path !== picture.value?.path) return
  const back = trail.value.findIndex(({ path }) => path === folder.path)
  if (back >= 0) trail.value = trail.value.slice(0, back)
  else if (picture.value) trail.value = [...trail.value, picture.value]
  picture.value = await ask({ ask: 'picture', folder: folder.folder, depth: DEPTH })
}
const patternOk = computed(() => rules.value.every(({ pattern }) => readPattern(pattern).ok))
/** For what the result was worked out; another wish makes it old until it has been worked out again. */
const workedOut = ref('')
const wish = computed(() => JSON.stringify([rules.value, perFileMs.value, mbPerSecond.value, sums.value?.rows]))
const fresh = computed(() => result.value !== null && workedOut.value === wish.value && patternOk.value)
let trying = false
async function tryOut(): Promise<void> {
  if (trying) return
  trying = true
  try {
    // While one is worked out, others may be wished; only the last of them counts.
    while (sums.value && sums.value.rows > 0 && patternOk.value && workedOut.value !== wish.value) {
      const wanted = wish.value
      const cost = { perFileMs: Math.max(0, perFileMs.value || 0), bytesPerSecond: Math.max(0.001, mbPerSecond.value || 0) * 1e6 }
      result.value = await ask({ ask: 'try', rules: rules.value.map((rule) => ({ ...rule })), cost, nowMs: Date.now() })
      workedOut.value = wanted
    }
  } catch (error) {
    problem.value = error instanceof Error ? error.message : String(error)
  } finally {
    trying = false
  }
}
const asked = refDebounced(wish, 250)
watch(asked, () => void tryOut())
watch(policy, (page) => {
  if (page && rules.value.length === 0) rules.value = page.settings.pathRules.map((rule) => ({ ...rule }))
})
const add = (does: PathRule['does']) => {
  if (chosen.value?.path) rules.value = [...rules.value, { pattern: chosen.value.path, does }]
}
function toPolicy(): void {
  draft.propose({ pathRules: rules.value.map((rule) => ({ ...rule })) }, 'path rules that were tried on what lies in containers')
  void router.push('/policies/base')
}
const lostCsv = computed(() =>
  csvAddress(
    (result.value?.lost.examples ?? []).map(({ person: who, path, bytes, modifiedMs }) => ({
      person: who,
      path,
      bytes,
      modified: new Date(modifiedMs).toISOString(),
    })),
  ),
)
const newest = computed(() => Math.max(0, ...(listed.value?.inventories ?? []).map(({ atMs }) => atMs)))
const saved = computed(() => (result.value ? result.value.before.bytes - result.value.after.bytes : 0))
onMounted(() => {
  if (person.value) void fromAgents()
})
</script>

<template>
  <div class="page" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="drop($event.dataTransfer?.files)">
    <section class="work" :class="{ over }">
      <h1 v-if="sums && sums.rows > 0">{{ size(sums.bytes) }} in {{ plural(sums.rows, 'file') }} of {{ plural(sums.people, 'person', 'people') }}</h1>
      <h1 v-else>What is in the containers</h1>
      <ContainerViews />
      <div class="toolbar">
        <BButton variant="primary" :disabled="busy > 0 || !listed?.inventories.length || !session.mayHelp" @click="fromAgents"
          >Read what agents saw<template v-if="person"> of {{ person }}</template></BButton
        >
        <span class="quiet small">{{
          listed
            ? listed.inventories.length === 0
              ? 'No agent has left an inventory yet; one is written at logoff.'
              : `${plural(listed.inventories.length, 'person', 'people')}, the newest of ${day(newest)}`
            : ''
        }}</span>
        <label class="btn btn-outline-secondary mb-0"
          >Read a file<input
            type="file"
            class="visually-hidden"
            multiple
            accept=".ndjson,.jsonl,.csv,.gz"
            @change="drop(($event.target as HTMLInputElement).files)"
        /></label>
        <span class="quiet small">or drop it here: CSV or NDJSON of path, bytes, modified; it stays in this browser</span>
      </div>
      <p v-if="busy > 0" role="status">
        Working… <template v-if="readBytes > 0">{{ size(readBytes) }} read. </template><BButton variant="link" @click="stop">Stop</BButton>
      </p>
      <p v-if="problem" class="madder" role="alert">{{ problem }}</p>
      <details v-if="sums && sums.refused > 0">
        <summary class="ochre">{{ plural(sums.refused, 'line') }} could not be read; the others were</summary>
        <ul class="small">
          <li v-for="fault in sums.faults.slice(0, 50)" :key="fault.line">line {{ count(fault.line) }}: {{ fault.reason }}</li>
        </ul>
      </details>
      <template v-if="picture && sums && sums.rows > 0">
        <p v-if="trail.length" class="small">
          <template v-for="one in trail" :key="one.path"
            ><BButton variant="link" @click="go(one)">{{ one.name || 'everything' }}</BButton> \ </template
          >{{ picture.name }}
        </p>
        <FolderIcicle :picture="picture" :depth="DEPTH" :chosen="chosen?.path ?? null" :rules="rules" @choose="chosen = $event" @go="go" />
        <div v-if="chosen" class="chosen" role="group" aria-label="The chosen folder">
          <span class="mono">{{ chosen.path || 'everything' }}</span>: <strong>{{ size(chosen.bytes) }}</strong>,
          {{ plural(chosen.files, 'file') }} of {{ plural(chosen.people, 'person', 'people') }}.
          <BButton v-if="chosen.children.length && chosen.path !== picture.path" variant="link" @click="go(chosen)">go into it</BButton>
          <template v-if="chosen.path">
            <BButton variant="outline-secondary" size="sm" @click="add('skip')">leave it out</BButton>
            <BButton variant="outline-secondary" size="sm" @click="add('keep')">keep it</BButton>
            <BButton variant="outline-secondary" size="sm" @click="add('mirror')">mirror it</BButton></template
          >
        </div>
        <h2>Rules, tried on these profiles</h2>
        <PathRules v-model="rules" :result="fresh ? result : null" />
        <template v-if="fresh && result && rules.length && result.lost.files > 0">
          <h2 class="madder">What would be lost</h2>
          <p>
            {{ plural(result.lost.files, 'file') }} of {{ plural(result.lost.people, 'person', 'people') }} ({{ size(result.lost.bytes) }})
            {{ result.lost.files === 1 ? 'looks' : 'look' }} like somebody’s work: documents, changed in the last half year.
            <a :href="lostCsv" download="would-be-lost.csv">Export the largest</a>
          </p>
          <table class="plain" aria-label="What would be lost">
            <tbody>
              <tr v-for="one in result.lost.examples.slice(0, 8)" :key="one.person + one.path">
                <td>
                  <RouterLink class="plum" :to="`/people/${encodeURIComponent(one.person)}`">{{ one.person }}</RouterLink>
                </td>
                <td class="mono small">{{ one.path }}</td>
                <td class="number">{{ size(one.bytes) }}</td>
                <td>{{ day(one.modifiedMs) }}</td>
              </tr>
            </tbody>
          </table>
        </template>
      </template>
    </section>
    <aside class="margin" aria-label="What the rules bring">
      <h2>What the rules bring</h2>
      <p v-if="!result || !sums || rules.length === 0" class="quiet">
        {{ sums && sums.rows > 0 ? 'Choose folders that may be left out.' : 'Read an inventory, then choose folders that may be left out.' }} Here
        stands what it brings, and what it costs.
      </p>
      <p v-else-if="!fresh" class="quiet" role="status">{{ patternOk ? 'Working it out…' : 'One of the rules cannot be read yet.' }}</p>
      <template v-else>
        <p class="big">
          <strong>{{ size(result.before.bytes) }} → {{ size(result.after.bytes) }}</strong
          ><br /><span class="quiet small"
            >{{ size(saved) }} less, smaller for {{ count(result.smallerFor) }} of {{ count(result.before.people) }}</span
          >
        </p>
        <p>
          The person in the middle: {{ size(result.perPerson.before.middle) }} → {{ size(result.perPerson.after.middle) }}. One in ten has more than
          {{ size(result.perPerson.before.ninth) }} → {{ size(result.perPerson.after.ninth) }}.
        </p>
        <p>
          A logon that fetches all files takes
          <strong>{{ duration(result.logonMs.before.middle) }} → {{ duration(result.logonMs.after.middle) }}</strong> for the person in the middle,
          {{ duration(result.logonMs.before.ninth) }} → {{ duration(result.logonMs.after.ninth) }} for one in ten.
        </p>
        <p v-if="result.lost.files === 0" class="moss">
          No document that was changed in the last half year would be lost. What else is in there, only its program knows.
        </p>
        <BButton variant="primary" class="w-100 text-start" :disabled="!patternOk || !session.isAdministrator" @click="toPolicy"
          >Put these rules into a draft of the policy</BButton
        >
        <p class="small quiet">Nothing changes until the draft is published.</p>
      </template>
      <h2>What fetching costs</h2>
      <label class="row-label"
        >each file
        <span
          ><input v-model.number="perFileMs" type="number" class="form-control num" min="0" max="1000" aria-label="Milliseconds for each file" />
          ms</span
        ></label
      >
      <label class="row-label"
        >and its bytes
        <span
          ><input v-model.number="mbPerSecond" type="number" class="form-control num" min="1" max="10000" aria-label="Megabytes a second" />
          MB/s</span
        ></label
      >
      <p class="small quiet">
        An estimate: files one after another. A container does not fetch; there only the size counts.
        <RouterLink to="/file-roaming">Try a day under file roaming</RouterLink>
      </p>
    </aside>
  </div>
</template>

<style scoped>
.over {
  outline: 2px dashed var(--indigo);
  outline-offset: -8px;
}
.chosen {
  border-left: 3px solid var(--indigo);
  padding: 4px 10px;
  margin: 6px 0;
}
.big {
  font-size: 17px;
}
</style>
