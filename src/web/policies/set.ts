import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { PoliciesPage } from '../../contract/policies'
import {
  CATALOGUE,
  isGroupOf,
  leavesOf,
  partsOf,
  plain,
  sayValueOf,
  settingOf,
  writeText,
  type Condition,
  type Policy,
  type PolicySet,
  type SessionFacts,
} from '../../core/policies'
import { fieldOf } from '../kit/format'
import { call, problemWords } from '../shell/api'

/** Changes under way, of all pages together: they are sent one after the other, and until the last has arrived no older answer may take the place of it. */
const way = { last: 0, pending: 0, queue: Promise.resolve() as Promise<unknown> }

/** The set of policies: what is in force, the draft, and how to change it. Every change is kept on the server at once, as a draft. */
export function usePolicies() {
  const client = useQueryClient()
  const known = () => client.getQueryData<PoliciesPage>(['policies'])
  const {
    data: page,
    isPending,
    error,
    refetch,
  } = useQuery({
    queryKey: ['policies'],
    queryFn: async () => {
      const before = way.last
      const fresh = await call('policies', {})
      return (way.pending > 0 || way.last !== before) && known() ? (known() as PoliciesPage) : fresh
    },
  })
  const set = computed<PolicySet | null>(() => page.value?.draft?.set ?? page.value?.set ?? null)
  const keep = useMutation({
    mutationFn: (next: PolicySet) => {
      const sent = way.queue.then(() => call('policyDraft', { body: { set: next as never, basedOn: known()?.version ?? 0 } }))
      way.queue = sent.catch(() => undefined)
      return sent
    },
    onMutate: (next) => {
      way.pending++
      const before = known()
      if (before)
        client.setQueryData<PoliciesPage>(['policies'], {
          ...before,
          draft: { basedOn: before.version, author: '', updatedMs: Date.now(), review: null, ...before.draft, set: next },
        })
      return { number: ++way.last }
    },
    onSettled: (fresh, _, __, context) => {
      way.pending--
      if (fresh && context?.number === way.last) client.setQueryData(['policies'], fresh)
      // What was refused is not there: the server’s own state is shown again.
      if (!fresh && way.pending === 0) void client.invalidateQueries({ queryKey: ['policies'] })
    },
  })
  const taken = (fresh: PoliciesPage) => client.setQueryData(['policies'], fresh)
  return {
    page,
    isPending,
    error,
    refetch,
    set,
    taken,
    /** Why the last change was not kept. */
    refused: computed(() => (keep.error.value ? problemWords(keep.error.value) : null)),
    edit(change: (set: PolicySet) => PolicySet) {
      const now = known()?.draft?.set ?? known()?.set
      if (now) keep.mutate(change(JSON.parse(JSON.stringify(now)) as PolicySet))
    },
  }
}

/** What is to be said of the draft, or of what is in force where there is none. */
export function useLook(page: ReturnType<typeof usePolicies>['page']) {
  const asked = computed(() => JSON.stringify(page.value?.draft?.set ?? null))
  return useQuery({
    queryKey: ['look', asked, computed(() => page.value?.version)],
    queryFn: ({ signal }) => call('policyLook', { body: { set: JSON.parse(asked.value) as never } }, signal),
    enabled: computed(() => page.value !== undefined),
    placeholderData: keepPreviousData,
    staleTime: 60_000,
  })
}

const aboutPeople = (condition: Condition) =>
  leavesOf(condition).length > 0 && leavesOf(condition).every((leaf) => 'person' in leaf || 'group' in leaf)

/** A condition as whom it is for, and when. */
export function sayCondition(when: Condition): { readonly whom: string; readonly when: string | null } {
  const condition = plain(when)
  const parts = 'all' in condition ? condition.all : [condition]
  if (parts.length === 0) return { whom: 'everybody', when: null }
  const people = parts.filter(aboutPeople)
  const rest = parts.filter((part) => !aboutPeople(part))
  const whom = people.length ? people.map(sayWhom).join(', and ') : 'everybody'
  // “not network is office” is how it is typed; it is read as “network is not office”.
  const read = writeText({ all: rest }).replaceAll(/\bnot ((?:client |round |first )?[a-z]+) (is|like|in) /g, '$1 $2 not ')
  return { whom, when: rest.length ? read : null }
}

function sayWhom(condition: Condition): string {
  if ('group' in condition) return condition.group.join(' or ')
  if ('person' in condition) return condition.person.join(' or ')
  if (isGroupOf(condition) && 'none' in condition) return `nobody of ${partsOf(condition).map(sayWhom).join(' or ')}`
  return writeText(condition)
}

const placeOf = (id: string) => {
  const at = CATALOGUE.findIndex((one) => one.id === id)
  return at < 0 ? Infinity : at
}

/** What a policy does, setting by setting, in the order of the catalogue. */
export const sayThen = ({ settings }: Policy): { readonly title: string; readonly said: string; readonly known: boolean }[] =>
  Object.entries(settings)
    .sort(([a], [b]) => placeOf(a) - placeOf(b))
    .map(([id, value]) => {
      const setting = settingOf(id)
      return { title: setting?.title ?? id, said: setting ? sayValueOf(setting, value) : JSON.stringify(value), known: setting !== undefined }
    })

/** An id that no policy has yet. */
export function freeId(set: PolicySet, wish: string): string {
  const plainId =
    wish
      .toLowerCase()
      .replaceAll(/[^\p{L}\p{N}]+/gu, '-')
      .replaceAll(/^-|-$/g, '') || 'policy'
  const taken = new Set(set.policies.map(({ id }) => id))
  let id = plainId
  for (let n = 2; taken.has(id) || id === 'base' || id === 'default'; n++) id = `${plainId}-${n}`
  return id
}

/** The page on which a session with these facts can be tried. */
export const tryLink = (facts: SessionFacts) => ({
  path: '/policies/try',
  query: Object.fromEntries(
    Object.entries(facts).flatMap(([name, value]) =>
      value === undefined ? [] : name === 'atMs' ? [['at', fieldOf(Number(value))]] : [[name, String(value)]],
    ),
  ),
})
