<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { count, duration, percent, plural } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { useSession } from '../shell/session'
import HoursLevels from './HoursLevels.vue'
import type { GroupSuggestion, LimitPlan, Replayed } from './limits-desk'
import { plainly, useReplays } from './limits-hook'
import PolicyViews from './PolicyViews.vue'
import { freeId, usePolicies } from './set'

/** The sessions of the last days, under other time limits: how many desktops are held, and who comes back to nothing. */
const session = useSession()
const router = useRouter()
const { edit } = usePolicies()
const { worker, columns, isPending, error, refetch, hasDraft, inForce, inDraft, loaded, replayOf } = useReplays(ref(true))
const pool = ref(0)
watch(columns, (fresh, before) => {
  // Once: whoever chose another pool meanwhile goes on with that.
  if (before) return
  const busiest = fresh?.pools.map((_, at) => fresh.pool.filter((one) => one === at).length) ?? []
  pool.value = Math.max(0, busiest.indexOf(Math.max(...busiest, 0)))
})
const how = ref<'one' | 'draft'>(useRoute().query['how'] === 'draft' ? 'draft' : 'one')
const minutes = ref(30)
const exceptions = ref<{ group: string; minutes: number }[]>([])
const peopleOf = (group: string) => inForce.value?.groups.find((one) => one.group === group)?.people ?? []
const plan = computed<LimitPlan | null>(() =>
  how.value === 'draft'
    ? inDraft.value
      ? { kind: 'given', disconnected: inDraft.value.disconnected, session: inDraft.value.session }
      : null
    : { kind: 'one', minutes: minutes.value, exceptions: exceptions.value.map((one) => ({ people: peopleOf(one.group), minutes: one.minutes })) },
)
/** The longest limit that anybody is given, for the whole pool: what it costs where a limit can only be set for all. */
const longest = computed(() => Math.max(minutes.value, ...exceptions.value.map((one) => one.minutes)))
const now = replayOf(inForce)
const then = ref<Replayed | null>(null)
const forAll = ref<Replayed | null>(null)
const suggestions = ref<GroupSuggestion[]>([])
watch(
  [plan, loaded],
  async () => {
    if (!plan.value || !loaded.value) return
    then.value = await worker.ask({ ask: 'replay', plan: plainly(plan.value) })
    forAll.value =
      how.value === 'one' && exceptions.value.length
        ? await worker.ask({ ask: 'replay', plan: { kind: 'one', minutes: longest.value, exceptions: [] } })
        : null
  },
  { immediate: true },
)
watch([pool, inForce, loaded], async () => {
  if (inForce.value && loaded.value) suggestions.value = await worker.ask({ ask: 'suggest', pool: pool.value, groups: plainly(inForce.value.groups) })
})
const columnsOf: Column<GroupSuggestion>[] = [
  { key: 'group', title: 'Group', sort: ({ group }) => group },
  { key: 'people', title: 'People', number: true, sort: ({ people }) => people },
  { key: 'returns', title: 'Returns', number: true, sort: ({ returns }) => returns },
  { key: 'minutes', title: 'Would do', number: true, sort: ({ minutes: enough }) => enough, unit: 'min' },
  {
    key: 'found',
    title: 'Find it',
    number: true,
    unit: '%',
    sort: ({ minutes: enough, found, returns }) => (enough === null ? null : Math.round((1000 * found) / returns) / 10),
  },
  { key: 'do', title: '' },
]
const before = computed(() => now.value?.pools[pool.value])
const after = computed(() => then.value?.pools[pool.value])
const returnsNow = computed(() => now.value?.returns[pool.value])
const returnsThen = computed(() => then.value?.returns[pool.value])
const inDays = computed(() => plural(Math.round(columns.value?.days ?? 0), 'day'))
const hoursADay = (heldMs: number) => count(Math.round(heldMs / 3_600_000 / (columns.value?.days ?? 1)))
const share = (one: { found: number; gone: number } | undefined) =>
  one && one.found + one.gone > 0 ? percent(one.gone / (one.found + one.gone)) : '–'
const poolName = computed(() => columns.value?.pools[pool.value] ?? '')
function take(): void {
  edit((draft) => {
    let policies = [...draft.policies]
    const add = (name: string, when: object, value: number) => {
      policies = [
        {
          id: freeId({ ...draft, policies }, name),
          name,
          owner: session.me?.fullName ?? '',
          note: `From a replay of ${inDays.value}.`,
          state: 'on',
          since: new Date().toISOString(),
          when: when as never,
          settings: { disconnectedMinutes: value },
        },
        ...policies,
      ]
    }
    add(`${poolName.value}: disconnected limit`, { pool: [poolName.value] }, minutes.value)
    for (const one of exceptions.value)
      add(`${one.group} on ${poolName.value}: longer`, { all: [{ pool: [poolName.value] }, { group: [one.group] }] }, one.minutes)
    return { ...draft, policies }
  })
  void router.push('/policies')
}
</script>

<template>
  <PageState v-if="!columns" :loading="isPending" :error="error" what="the sessions of the last 30 days" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>Time limits</h1>
      <PolicyViews />
      <p v-if="columns.person.length === 0" class="quiet">No session was told of yet. Hosts tell when people connect and leave.</p>
      <template v-else>
        <p class="lead">
          A disconnected session holds its desktop until it is logged off. These are the {{ count(columns.person.length) }} stretches in which people
          were connected in the last {{ inDays }}, as they would have gone under other limits.
        </p>
        <div class="toolbar">
          <select v-model="pool" class="form-select" aria-label="Pool">
            <option v-for="(name, at) in columns.pools" :key="name" :value="at">{{ name }}</option>
          </select>
          <select v-model="how" class="form-select" aria-label="Proposed">
            <option value="one">one limit for all</option>
            <option value="draft" :disabled="!hasDraft">as the draft says</option>
          </select>
          <label v-if="how === 'one'" class="limit"
            ><input v-model.number="minutes" type="range" min="5" max="480" step="5" aria-label="Disconnected limit, minutes" />
            <strong>{{ duration(minutes * 60_000) }}</strong></label
          >
        </div>
        <template v-if="before && after">
          <p class="figures">
            <span
              ><strong>{{ count(after.peak) }}</strong> desktops at most, now {{ count(before.peak) }}</span
            >
            <span
              ><strong>{{ hoursADay(after.heldMs) }}</strong> desktop hours a day, now {{ hoursADay(before.heldMs) }}</span
            >
            <span
              ><strong>{{ share(returnsThen) }}</strong> of those who come back find nothing, now {{ share(returnsNow) }}</span
            >
          </p>
          <HoursLevels
            :now="before.hourPeaks"
            :then="after.hourPeaks"
            :label="`Desktops held at most by hour: ${after.peak} proposed, ${before.peak} now`"
          />
          <p class="small quiet">Desktops held at most in each hour of the day. Stone: as in force. Line: as proposed.</p>
          <p v-if="returnsThen && returnsThen.gone > 0">
            {{ plural(returnsThen.gone, 'return') }} in {{ inDays }} would have come too late, half of them by more than
            {{ duration(returnsThen.lateMs ?? 0) }}.
          </p>
          <p v-if="then && then.interrupted">
            {{ plural(then.interrupted, 'session') }} would have been ended at work by the limit of the whole session.
          </p>
          <p v-if="forAll && exceptions.length">
            Were the limit only to be set for the whole pool, all would need {{ duration(longest * 60_000) }}:
            <strong>{{ count(forAll.pools[pool]?.peak ?? 0) }}</strong> desktops at most instead of {{ count(after.peak) }}, and
            {{ hoursADay((forAll.pools[pool]?.heldMs ?? 0) - after.heldMs) }} desktop hours a day more.
          </p>
        </template>
        <p v-else class="quiet">Working it out …</p>
        <h2>How they really come back</h2>
        <p class="small quiet">For each group the smallest usual limit with which 95 % of those who came back would have found their session.</p>
        <DataTable
          :columns="columnsOf"
          :rows="suggestions"
          :row-key="({ group }) => group"
          label="Suggestions"
          empty="Nobody came back to this pool."
          :csv="`time-limits-${poolName}`"
        >
          <template #group="{ row }">{{ row.group }}</template>
          <template #people="{ row }">{{ count(row.people) }}</template>
          <template #returns="{ row }">{{ count(row.returns) }}</template>
          <template #minutes="{ row }">{{ row.minutes === null ? 'too few' : duration(row.minutes * 60_000) }}</template>
          <template #found="{ row }">{{ row.minutes === null ? '' : percent(row.found / row.returns) }}</template>
          <template #do="{ row }"
            ><BButton
              v-if="row.minutes !== null && how === 'one' && row.minutes > minutes && !exceptions.some(({ group }) => group === row.group)"
              variant="link"
              @click="exceptions = [...exceptions, { group: row.group, minutes: row.minutes }]"
              >make it an exception</BButton
            ></template
          >
        </DataTable>
      </template>
    </section>
    <aside class="margin" aria-label="Exceptions">
      <template v-if="how === 'one'">
        <h2>Exceptions</h2>
        <p v-if="exceptions.length === 0" class="quiet">None: everybody on the pool has the same limit.</p>
        <p v-for="(one, i) in exceptions" :key="one.group">
          {{ one.group }}<br /><input
            v-model.number="one.minutes"
            class="form-control num"
            type="number"
            min="5"
            :aria-label="`Minutes for ${one.group}`"
          />
          min
          <button type="button" class="bare" :aria-label="`Take ${one.group} away`" @click="exceptions = exceptions.filter((_, j) => j !== i)">
            <i-lucide-x />
          </button>
        </p>
        <BButton v-if="session.isAdministrator" variant="primary" class="go" :disabled="!then" @click="take">Take it into the draft</BButton>
      </template>
      <h2>What is counted</h2>
      <p class="small quiet">
        A return counts when somebody comes back to the same pool within 12 hours. Who logged off is gone at once. The limits in force are those of a
        returning logon in the office, now.
      </p>
    </aside>
  </div>
</template>

<style scoped>
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 28px;
}
.figures strong {
  font-size: 20px;
}
.limit {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
.limit input {
  width: 220px;
}
</style>
