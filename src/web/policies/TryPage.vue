<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { readAddress } from '../../core/policies'
import { fieldMs, fieldOf, isoOf } from '../kit/format'
import { vKept } from '../kit/kept'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import EffectiveList from './EffectiveList.vue'
import PolicyViews from './PolicyViews.vue'
import { tryLink, usePolicies } from './set'

/** Choose the facts of a session; see what would hold, and why. The facts are in the address of the page. */
const route = useRoute()
const router = useRouter()
const { page, isPending, error, refetch } = usePolicies()
const FIELDS = [
  'person',
  'pool',
  'host',
  'clientKind',
  'clientName',
  'clientVersion',
  'network',
  'address',
  'rttMs',
  'bandwidthKbps',
  'factor',
  'first',
  'at',
] as const
type Field = (typeof FIELDS)[number]
const TITLES: Record<Field, string> = {
  person: 'Person',
  pool: 'Pool',
  host: 'Host',
  clientKind: 'Client',
  clientName: 'Client name',
  clientVersion: 'Client version',
  network: 'Network',
  address: 'Address',
  rttMs: 'Round trip, ms',
  bandwidthKbps: 'Bandwidth, kbit/s',
  factor: 'Signed on with',
  first: 'Logon',
  at: 'When',
}
const asked = computed(() =>
  Object.fromEntries(
    FIELDS.flatMap((name) => (typeof route.query[name] === 'string' && route.query[name] !== '' ? [[name, route.query[name]]] : [])),
  ),
)
const facts = computed(() =>
  Object.fromEntries(
    Object.entries(asked.value).map(([name, value]) => [
      name,
      name === 'rttMs' || name === 'bandwidthKbps'
        ? Number(value)
        : name === 'first'
          ? value === 'true'
          : name === 'at'
            ? isoOf(fieldMs(value as string))
            : value,
    ]),
  ),
)
const noAddress = computed(() => asked.value['address'] !== undefined && readAddress(asked.value['address']) === null)
const draft = computed(() => route.query['of'] !== 'force' && page.value?.draft != null)
/** One after another: a change that comes while the address is still being changed must not forget that. */
let changed: Promise<unknown> = Promise.resolve()
function change(name: string, value: string): void {
  changed = changed.then(() => router.replace({ query: { ...route.query, [name]: value || undefined } }))
}
const { data: result, error: refused } = useQuery({
  queryKey: ['try', facts, draft, computed(() => page.value?.version), computed(() => JSON.stringify(page.value?.draft?.set ?? null))],
  queryFn: ({ signal }) => call('policyTry', { body: { facts: facts.value, draft: draft.value } }, signal),
  enabled: computed(() => page.value !== undefined && Object.keys(facts.value).length > 0),
  placeholderData: keepPreviousData,
})
const why = useMutation({
  mutationFn: (which: { policy: string; setting: string | null }) =>
    call('policyWhyNot', { body: { facts: facts.value, draft: draft.value, ...which } }),
})
watch(facts, () => why.reset())
const names = computed(() => new Map((page.value?.draft?.set ?? page.value?.set)?.policies.map(({ id, name }) => [id, name]) ?? []))
const real = ref('')
const take = useMutation({
  mutationFn: async (id: string) =>
    (await call('policyFactsOf', { query: { attempt: id } }).catch(() => call('policyFactsOf', { query: { session: id } }))).facts,
  onSuccess: (found) => {
    const { atMs, ...rest } = found as Record<string, unknown>
    void router.replace({
      query: Object.fromEntries([
        ...Object.entries(rest)
          .filter(([name]) => FIELDS.some((one) => one === name))
          .map(([name, value]) => [name, String(value)] as const),
        ...(typeof atMs === 'number' ? [['at', fieldOf(atMs)] as const] : []),
      ]),
    })
  },
})
// From a logon’s page: the facts of that one.
const from = route.query['attempt']
if (typeof from === 'string') take.mutate(from)
const value = (event: Event) => (event.target as HTMLInputElement).value
</script>

<template>
  <PageState v-if="!page" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>Try it</h1>
      <PolicyViews />
      <div class="facts">
        <label v-for="name in FIELDS" :key="name"
          >{{ TITLES[name] }}
          <select v-if="name === 'factor'" class="form-select" :value="asked[name] ?? ''" @change="change(name, value($event))">
            <option value="">not known</option>
            <option value="none">a password</option>
            <option value="push">an approval</option>
            <option value="code">a code</option>
            <option value="key">a security key</option>
          </select>
          <select v-else-if="name === 'first'" class="form-select" :value="asked[name] ?? ''" @change="change(name, value($event))">
            <option value="">not known</option>
            <option value="true">the first</option>
            <option value="false">a returning one</option>
          </select>
          <input
            v-else-if="name === 'at'"
            class="form-control"
            type="datetime-local"
            v-kept="asked[name] ?? ''"
            @change="change(name, value($event))"
          />
          <input
            v-else
            class="form-control"
            :type="name === 'rttMs' || name === 'bandwidthKbps' ? 'number' : 'text'"
            v-kept="asked[name] ?? ''"
            :list="`try-${name}`"
            placeholder="not known"
            @change="change(name, value($event).trim())"
          />
          <datalist v-if="page.known[name]" :id="`try-${name}`">
            <option v-for="one in (page.known[name] ?? []).slice(0, 3000)" :key="one" :value="one" />
          </datalist>
        </label>
      </div>
      <p v-if="Object.keys(facts).length === 0" class="quiet">
        Choose a person, a pool or a host; what is left open is not known, and conditions on it do not hold.
      </p>
      <p v-if="noAddress" class="ochre" role="status">“{{ asked['address'] }}” is no address: conditions on the address do not hold.</p>
      <p v-if="refused" class="madder" role="alert">{{ problemWords(refused) }}</p>
      <EffectiveList
        v-if="result && Object.keys(facts).length"
        :effective="result.effective"
        :ask="(policy, setting) => why.mutate({ policy, setting })"
      />
    </section>
    <aside class="margin" aria-label="Policies for this session">
      <label v-if="page.draft" class="small"
        >By
        <select class="form-select" :value="draft ? 'draft' : 'force'" @change="change('of', value($event) === 'force' ? 'force' : '')">
          <option value="draft">the draft</option>
          <option value="force">what is in force</option>
        </select></label
      >
      <form class="real" @submit.prevent="take.mutate(real.trim())">
        <h2>A real one</h2>
        <p class="small quiet">
          The facts of a logon that was, or of a session that runs now, by its id. The page of a logon, and of a person, leads here with them.
        </p>
        <input v-model="real" class="form-control mono" placeholder="attempt or session" aria-label="Take a real attempt or session" />
        <BButton type="submit" variant="outline-secondary" class="go" :disabled="real.trim() === ''">Take its facts</BButton>
      </form>
      <p v-if="take.error.value" class="madder small" role="alert">{{ problemWords(take.error.value) }}</p>
      <template v-if="why.data.value && why.variables.value">
        <h2>Why not {{ names.get(why.variables.value.policy) ?? why.variables.value.policy }}?</h2>
        <p v-if="why.data.value.asleep" class="ochre">{{ why.data.value.asleep.sentence }}</p>
        <p v-if="why.data.value.state === 'wins'">It does decide.</p>
        <p v-else-if="why.data.value.state === 'impossible'">No change of facts would let it decide: others always come first.</p>
        <p v-else-if="why.data.value.state === 'not decided'" class="ochre">Not found with up to four changes; more were not tried.</p>
        <template v-else>
          <p v-if="why.data.value.ways[0]?.changes.length" class="quiet">It would, with the smallest change, if</p>
          <p v-for="(way, i) in why.data.value.ways" :key="i">
            <template v-if="i">or </template>{{ way.changes.map(({ sentence }) => sentence).join(', and ') }}
            <RouterLink v-if="!way.facts.groups" :to="tryLink(way.facts)" class="small">try that</RouterLink>
          </p>
        </template>
      </template>
      <template v-if="result && Object.keys(facts).length">
        <h2>Policies, in their order</h2>
        <div v-for="policy in result.effective.policies" :key="policy.policy" class="verdict">
          <span :class="policy.applies ? 'moss' : 'stone'" aria-hidden="true">{{ policy.applies ? '│' : '┆' }}</span>
          <div>
            <RouterLink :to="`/policies/order/${policy.policy}`" :class="{ quiet: !policy.applies }">{{ policy.name }}</RouterLink>
            <div class="small quiet">
              {{
                policy.applies
                  ? policy.wins.length
                    ? `applies, decides ${policy.wins.length}`
                    : 'applies, decides nothing'
                  : policy.reason?.sentence
              }}
              <BButton v-if="!policy.applies" variant="link" class="small" @click="why.mutate({ policy: policy.policy, setting: null })"
                >Why not?</BButton
              >
            </div>
          </div>
        </div>
      </template>
    </aside>
  </div>
</template>

<style scoped>
.facts {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
  gap: 8px 12px;
  margin-bottom: 12px;
}
.facts label {
  font-size: 12.5px;
  color: var(--ink-2);
}
.real {
  margin: 8px 0;
}
.verdict {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr);
  border-top: 1px solid var(--hair);
  padding: 5px 0;
}
@media (max-width: 700px) {
  .facts {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
