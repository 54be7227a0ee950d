<script setup lang="ts">
import { computed, ref } from 'vue'
import type { SessionFacts, SetPromise } from '../../core/policies'
import { CATALOGUE, readSet, settingOf, simplified } from '../../core/policies'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { day, fieldMs, fieldOf, plural } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { useSession } from '../shell/session'
import ConditionText from './ConditionText.vue'
import DraftMargin from './DraftMargin.vue'
import PolicyViews from './PolicyViews.vue'
import { tryLink, useLook, usePolicies } from './set'
import ValueField from './ValueField.vue'

const session = useSession()
const { page, set, isPending, error, refetch, edit, refused } = usePolicies()
const { data: look } = useLook(page)
const names = computed(() => new Map(set.value?.policies.map(({ id, name }) => [id, name]) ?? []))
const nameOf = (id: string) => (id === 'base' ? 'The base policy' : id === 'default' ? 'not set anywhere' : (names.value.get(id) ?? id))
type Finding = NonNullable<typeof look.value>['findings'][number]
const sayFinding = ({ code, sentence, people }: Finding) =>
  sentence + (code === 'no usable location' ? ` ${plural(people, 'person', 'people')}.` : '')
const findingColumns: Column<Finding>[] = [
  { key: 'code', title: 'Finding', sort: ({ code }) => code },
  { key: 'policy', title: 'In', sort: ({ policy }) => (policy ? nameOf(policy) : null) },
  { key: 'sentence', title: 'What it is', sort: sayFinding },
]
const promiseOf = (id: string) => set.value?.promises.find((one) => one.id === id)
const put = (id: string, change: (one: SetPromise) => SetPromise[]) =>
  edit((draft) => ({ ...draft, promises: draft.promises.flatMap((one) => (one.id === id ? change(one) : [one])) }))
const waiving = ref<string | null>(null)
const reason = ref('')
const until = ref('')
/** The day that it is, where the organisation is. */
const today = computed(() => fieldOf(Date.now()).slice(0, 10))
/** A waiver lasts to the end of its day there. */
function waive(id: string): void {
  const endMs = fieldMs(`${until.value}T23:59`)
  if (endMs === null) return
  put(id, (one) => [{ ...one, waived: { reason: reason.value, until: new Date(endMs).toISOString(), by: session.me?.fullName ?? '' } }])
  waiving.value = null
}
const unwaive = (id: string) => put(id, ({ waived: _, ...one }) => [one])
const fresh = ref<SetPromise | null>(null)
function begin(): void {
  fresh.value = { id: `promise-${(set.value?.promises.length ?? 0) + 1}-${Date.now() % 10_000}`, name: '', when: { all: [] }, then: [] }
}
function demand(event: Event): void {
  const select = event.target as HTMLSelectElement
  const setting = settingOf(select.value)
  select.value = ''
  const promise = fresh.value
  if (!setting || !promise) return
  const wanted = setting.stricter === null ? { setting: setting.id, is: [setting.default] } : { setting: setting.id, atLeast: setting.default }
  fresh.value = { ...promise, then: [...promise.then, wanted] }
}
const faults = computed(() => (fresh.value ? readSet({ promises: [fresh.value] }).faults : []))
function keep(): void {
  const promise = fresh.value
  if (!promise) return
  edit((draft) => ({ ...draft, promises: [...draft.promises, { ...promise, name: promise.name || 'Promise' }] }))
  fresh.value = null
}
const SAYS = { kept: 'kept', broken: 'broken', nobody: 'speaks of nobody', 'not decided': 'not decided' } as const
const sayFacts = (example: SessionFacts) =>
  Object.entries(example)
    .filter(([name, value]) => value !== undefined && !['zone', 'image', 'atMs'].includes(name))
    .map(([, value]) => String(value))
    .join(', ')
</script>

<template>
  <PageState v-if="!page || !set" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>Promises and health</h1>
      <PolicyViews />
      <p v-if="refused" class="madder" role="alert">{{ refused }}</p>
      <h2>Promises</h2>
      <p class="lead">
        What must hold for every session. Each is proven over all sessions that the policies can tell apart; a broken one stops publishing.
      </p>
      <p v-if="!look" class="quiet">Working it out …</p>
      <div v-for="promise in look?.promises ?? []" :key="promise.promise" class="promise">
        <div>
          <strong>{{ promise.name }}</strong>
          <span :class="promise.state === 'kept' ? 'moss' : promise.state === 'broken' ? (promise.waived ? 'ochre' : 'madder') : 'quiet'"
            >&ensp;{{ SAYS[promise.state] }}{{ promise.state === 'broken' && promise.waived ? ', waived' : '' }}</span
          >
          <div class="small quiet">{{ promise.said }}</div>
          <div class="small">
            {{
              promise.state === 'not decided'
                ? 'Too many situations to look at all of them.'
                : `${plural(promise.situations, 'kind')} of session, ${plural(promise.people, 'person', 'people')}`
            }}
          </div>
          <div v-for="(one, i) in promise.broken" :key="i" class="broken">
            {{ one.title }} is <strong>{{ one.found }}</strong> by {{ nameOf(one.winner) }}, for {{ plural(one.people, 'person', 'people') }}. For
            example
            <RouterLink :to="tryLink(one.example)">{{ sayFacts(one.example) }}</RouterLink>
          </div>
          <div v-if="promise.waived" class="small ochre">
            Waived by {{ promise.waived.by }} until {{ day(Date.parse(promise.waived.until)) }}: {{ promise.waived.reason }}
          </div>
          <div v-if="promise.ended" class="small" :class="promise.state === 'broken' ? 'madder' : 'quiet'">
            Was waived by {{ promise.ended.by }} until {{ day(Date.parse(promise.ended.until)) }}: {{ promise.ended.reason }} Since then it must hold
            again.
          </div>
        </div>
        <div v-if="session.isAdministrator" class="acts">
          <BButton v-if="promise.waived" variant="link" @click="unwaive(promise.promise)">End the waiver</BButton>
          <BButton v-else-if="promise.state === 'broken'" variant="link" @click="((waiving = promise.promise), (reason = ''), (until = ''))"
            >Waive…</BButton
          >
          <BButton variant="link" @click="put(promise.promise, () => [])">Remove</BButton>
        </div>
        <form v-if="waiving === promise.promise" class="sure" @submit.prevent="waive(promise.promise)">
          <label>Why <input v-model="reason" class="form-control" required /></label>
          <label>Until <input v-model="until" class="form-control" type="date" :min="today" required /></label>
          <BButton type="submit" variant="primary">Waive {{ promiseOf(promise.promise)?.name }}</BButton>
        </form>
      </div>
      <BButton v-if="session.isAdministrator && !fresh" variant="outline-secondary" @click="begin">New promise</BButton>
      <form v-if="fresh" class="sure" @submit.prevent="keep">
        <label>Name <input v-model="fresh.name" class="form-control" required /></label>
        <div class="small quiet">For which sessions</div>
        <ConditionText :model-value="fresh.when" :known="page.known" @update:model-value="fresh && (fresh = { ...fresh, when: $event })" />
        <div v-for="(one, i) in fresh.then" :key="i" class="demand">
          <span>{{ settingOf(one.setting)?.title }} {{ 'is' in one ? 'is' : 'is at least as strict as' }}</span>
          <ValueField
            v-if="settingOf(one.setting)"
            :setting="settingOf(one.setting)!"
            :model-value="'is' in one ? one.is[0] : one.atLeast"
            @update:model-value="
              fresh &&
              (fresh = { ...fresh, then: fresh.then.map((d, j) => (j === i ? ('is' in d ? { ...d, is: [$event] } : { ...d, atLeast: $event }) : d)) })
            "
          />
        </div>
        <select class="form-select mb-2" value="" aria-label="Demand of a setting" @change="demand">
          <option value="" disabled>Demand of a setting …</option>
          <option v-for="setting in CATALOGUE" :key="setting.id" :value="setting.id">{{ setting.title }}</option>
        </select>
        <p v-if="faults.length" class="small quiet">{{ faults[0]?.sentence }}</p>
        <BButton type="submit" variant="primary" :disabled="faults.length > 0">Keep in the draft</BButton>
        <BButton variant="link" @click="fresh = null">Never mind</BButton>
      </form>

      <h2>Health</h2>
      <p v-if="look && look.findings.length === 0" class="moss">Nothing odd was found.</p>
      <DataTable
        v-else
        :columns="findingColumns"
        :rows="look?.findings ?? []"
        :row-key="({ code, policy, sentence }) => `${code} ${policy} ${sentence}`"
        label="Findings"
        empty="Looking …"
        csv="health-of-the-set"
      >
        <template #code="{ row }"
          ><span class="nowrap">{{ row.code }}</span></template
        >
        <template #policy="{ row }"
          ><RouterLink v-if="row.policy" :to="`/policies/order/${row.policy}`">{{ nameOf(row.policy) }}</RouterLink
          ><span v-else class="quiet">the set</span></template
        >
        <template #sentence="{ row }">{{ sayFinding(row) }}</template>
      </DataTable>
      <h2>The same with less</h2>
      <p class="small quiet">Each was proven: over all sessions nothing changes for anybody.</p>
      <p v-if="look && look.simpler.length === 0" class="quiet">Nothing was found.</p>
      <div v-for="one in look?.simpler ?? []" :key="one.sentence" class="simpler">
        {{ one.sentence }}
        <BButton v-if="session.isAdministrator" variant="link" @click="edit((draft) => simplified(draft, one))">Do it in the draft</BButton>
      </div>
    </section>
    <DraftMargin :page="page" :look="look" />
  </div>
</template>

<style scoped>
.promise {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  border-top: 1px solid var(--hair);
  padding: 8px 0;
}
.promise .sure {
  grid-column: 1 / -1;
}
.broken {
  border-left: 2px solid var(--madder);
  padding-left: 10px;
  margin: 4px 0;
}
.simpler {
  border-top: 1px solid var(--hair);
  padding: 5px 0;
}
.demand {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px;
  gap: 10px;
  margin: 6px 0;
}
</style>
