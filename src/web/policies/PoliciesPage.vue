<script setup lang="ts">
import { useSortable } from '@vueuse/integrations/useSortable'
import type { SortableEvent } from 'sortablejs'
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'
import { endedWaivers, type Policy } from '../../core/policies'
import { day, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { useSession } from '../shell/session'
import DraftMargin from './DraftMargin.vue'
import NetworkClasses from './NetworkClasses.vue'
import PolicyLine from './PolicyLine.vue'
import PolicyViews from './PolicyViews.vue'
import { freeId, useLook, usePolicies } from './set'

const session = useSession()
const router = useRouter()
const { page, set, isPending, error, refetch, edit, refused } = usePolicies()
const { data: look } = useLook(page)
const text = ref('')
const shown = computed(() =>
  (set.value?.policies ?? []).filter((one) => text.value === '' || JSON.stringify(one).toLowerCase().includes(text.value.toLowerCase())),
)
const marks = (id: string) => (look.value?.findings ?? []).filter(({ policy }) => policy === id)
const list = ref<HTMLElement | null>(null)

function move(from: number, to: number): void {
  edit((draft) => {
    const policies = [...draft.policies]
    const [one] = policies.splice(from, 1)
    if (one) policies.splice(Math.max(0, Math.min(policies.length, to)), 0, one)
    return { ...draft, policies }
  })
}
function moveByKey(at: number, by: number): void {
  move(at, at + by)
  void nextTick(() => list.value?.querySelectorAll<HTMLElement>('li')[at + by]?.focus())
}
useSortable(list, [], {
  handle: '.grip',
  animation: 120,
  disabled: !session.isAdministrator,
  onUpdate: ({ oldIndex, newIndex, item, from }: SortableEvent) => {
    if (oldIndex === undefined || newIndex === undefined) return
    // The list is drawn from the data: put the element back, and let the data move it.
    from.insertBefore(item, from.children[oldIndex + (newIndex < oldIndex ? 1 : 0)] ?? null)
    move(oldIndex, newIndex)
  },
})
const replace = (id: string, change: (one: Policy) => Policy[]) =>
  edit((draft) => ({ ...draft, policies: draft.policies.flatMap((one) => (one.id === id ? change(one) : [one])) }))
const copy = (policy: Policy) =>
  replace(policy.id, (one) => [
    one,
    {
      ...one,
      id: freeId(set.value ?? { base: {}, policies: [], networks: [], promises: [] }, `${one.id}-copy`),
      name: `${one.name}, copy`,
      state: 'off',
    },
  ])
/** A policy with several alternatives becomes one for each of them. */
const split = (policy: Policy) =>
  replace(policy.id, (one) =>
    'any' in one.when
      ? one.when.any.map((when, i) => ({
          ...one,
          id: i === 0 ? one.id : `${one.id}-${i + 1}`,
          name: i === 0 ? one.name : `${one.name}, ${i + 1}`,
          when,
        }))
      : [one],
  )
const remove = (policy: Policy) => replace(policy.id, () => [])
function add(): void {
  const id = freeId(set.value ?? { base: {}, policies: [], networks: [], promises: [] }, 'new policy')
  edit((draft) => ({
    ...draft,
    policies: [
      {
        id,
        name: 'New policy',
        owner: session.me?.fullName ?? '',
        note: '',
        state: 'off',
        since: new Date().toISOString(),
        when: { all: [] },
        settings: {},
      },
      ...draft.policies,
    ],
  }))
  void router.push(`/policies/order/${id}`)
}
</script>

<template>
  <PageState v-if="!page || !set" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>{{ page.draft ? 'Policies: the draft' : 'Policies' }}</h1>
      <PolicyViews />
      <p class="lead">
        {{ plural(set.policies.length, 'policy', 'policies') }} over the base policy. Of two that both set something, the higher one decides, unless
        the setting says that the stricter one does.
      </p>
      <p v-for="one in endedWaivers(set, Date.now())" :key="one.id" class="ochre" role="status">
        The waiver of “{{ one.name }}” ended on {{ day(Date.parse(one.waived.until)) }}; it must hold again.
        <RouterLink to="/policies/promises">Promises</RouterLink>
      </p>
      <div class="toolbar">
        <input v-model="text" class="form-control" type="search" placeholder="Any word in them" aria-label="Filter" />
        <BButton v-if="session.isAdministrator" variant="outline-secondary" @click="add">New policy</BButton>
      </div>
      <p v-if="refused" class="madder" role="alert">{{ refused }}</p>
      <ol ref="list" class="order" aria-label="The order of policies">
        <PolicyLine
          v-for="policy in shown"
          :key="policy.id"
          :policy="policy"
          :place="set.policies.indexOf(policy) + 1"
          :reach="look?.reach[policy.id]"
          :findings="marks(policy.id)"
          :can-edit="session.isAdministrator"
          :can-move="session.isAdministrator && text === ''"
          @move="(by) => moveByKey(set?.policies.indexOf(policy) ?? 0, by)"
          @toggle="replace(policy.id, (one) => [{ ...one, state: one.state === 'on' ? 'off' : 'on' }])"
          @copy="copy(policy)"
          @split="split(policy)"
          @remove="remove(policy)"
        />
      </ol>
      <p v-if="shown.length === 0" class="quiet">
        {{ text ? 'No policy has this word.' : 'There is only the base policy: everybody gets the same.' }}
      </p>
      <div class="base">
        <span class="place">·</span>
        <div>
          <RouterLink to="/policies/base"><strong>The base policy</strong></RouterLink>
          <span class="quiet">&ensp;for everybody, where nothing above says otherwise: {{ plural(Object.keys(set.base).length, 'setting') }}</span>
        </div>
      </div>
      <NetworkClasses :set="set" :can-edit="session.isAdministrator" @edit="(networks) => edit((draft) => ({ ...draft, networks }))" />
      <p class="small quiet">
        Move a policy by its handle, or with the focus on it: Alt and an arrow. Version {{ page.version }} is in force, published
        {{ when(page.publishedMs) }} by {{ page.author }}.
      </p>
    </section>
    <DraftMargin :page="page" :look="look" />
  </div>
</template>

<style scoped>
.order {
  list-style: none;
  padding: 0;
  margin: 0;
}
.base {
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr);
  border-top: 1px solid var(--hair);
  border-bottom: 1px solid var(--hair);
  padding: 10px 0;
  margin-bottom: 12px;
}
.place {
  color: var(--ink-2);
  padding-left: 22px;
}
</style>
