<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { parse } from 'yaml'
import { readSet, type SetDifference, type SetFault } from '../../core/policies'
import { plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { addressOf, call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import ChangeGroups from './ChangeGroups.vue'
import DraftEffects from './DraftEffects.vue'
import PolicyViews from './PolicyViews.vue'
import RolloutPanel from './RolloutPanel.vue'
import { useLook, usePolicies } from './set'

/** From draft to everybody: what it would change, the review, the waves; and every version there was. */
const session = useSession()
const { page, isPending, error, refetch, taken } = usePolicies()
const { data: look } = useLook(page)
const { data: versions, refetch: again } = useQuery({ queryKey: ['versions'], queryFn: () => call('policyVersions', {}) })
const note = ref('')
const waves = ref<'at once' | 'zones' | 'few first'>('few first')
const firstGroup = ref('')
const pauseMinutes = ref(30)
const publish = useMutation({
  mutationFn: () =>
    call('policiesPublish', {
      body: { note: note.value, waves: waves.value, firstGroup: firstGroup.value || null, pauseMinutes: pauseMinutes.value },
    }),
  onSuccess: (fresh) => {
    taken(fresh)
    void again()
  },
})
const review = useMutation({ mutationFn: (asked: boolean) => call('policyDraftReview', { body: { asked } }), onSuccess: taken })
const restore = useMutation({ mutationFn: (version: number) => call('policyRestore', { params: { version } }), onSuccess: taken })
function compare(from: number, event: Event): void {
  const select = event.target as HTMLSelectElement
  compared.value = { from, to: Number(select.value) }
  select.value = ''
}
const compared = ref<{ from: number; to: number } | null>(null)
const { data: between } = useQuery({
  queryKey: ['compare', compared],
  queryFn: () => call('policyCompare', { query: compared.value ?? { from: 1, to: 1 } }),
  enabled: computed(() => compared.value !== null),
})
const say = ({ kind, name, what, before, after }: SetDifference) =>
  kind === 'added'
    ? `${name} added${after ? `: ${after}` : ''}`
    : kind === 'removed'
      ? `${name} removed`
      : kind === 'moved'
        ? `${name} from place ${before} to ${after}`
        : `${name}, ${what}: ${before || '–'} → ${after || '–'}`

/** A set from a file: what is wrong with it first, then what it would change. */
const given = ref<{ name: string; set: unknown; faults: readonly SetFault[]; leftOut: readonly string[]; policies: number } | null>(null)
const unread = ref<string | null>(null)
async function pick(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  unread.value = null
  given.value = null
  try {
    const text = await file.text()
    const set: unknown = text.trimStart().startsWith('{') ? JSON.parse(text) : parse(text)
    const { faults, leftOut, set: read } = readSet(set)
    given.value = { name: file.name, set, faults, leftOut, policies: read.policies.length }
  } catch (problem) {
    unread.value = `${file.name} is neither JSON nor YAML: ${problem instanceof Error ? (problem.message.split('\n')[0] ?? '') : ''}`
  }
}
const wrong = computed(() => given.value?.faults.filter(({ weight }) => weight === 'wrong') ?? [])
const take = useMutation({
  mutationFn: (parts: 'all' | 'understood') =>
    call('policyDraft', { body: { set: given.value?.set as never, basedOn: page.value?.version ?? 0, parts } }),
  onSuccess: (fresh) => {
    taken(fresh)
    given.value = null
  },
})
</script>

<template>
  <PageState v-if="!page" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <h1>Publish and versions</h1>
      <PolicyViews />
      <RolloutPanel v-if="page.rollout && page.rollout.state !== 'done'" :rollout="page.rollout" @stepped="taken" />
      <template v-if="page.draft">
        <h2>What the draft would change</h2>
        <p v-if="!look" class="quiet">Working it out …</p>
        <template v-else>
          <p v-if="!look.changes.decided" class="ochre">Too many situations to look at all of them: nothing is concluded about who gets what.</p>
          <p v-else-if="look.changes.groups.length === 0" class="quiet">Nobody would get anything else.</p>
          <p v-else>
            <strong>{{ plural(look.changes.people, 'person', 'people') }}</strong> would get something else, in
            {{ plural(look.changes.groups.length, 'way') }};
            {{ plural(look.changes.groups.filter(({ direction }) => direction === 'looser').length, 'of them is', 'of them are') }} looser.
          </p>
          <ChangeGroups :groups="look.changes.groups" names />
          <DraftEffects v-if="look.changes.decided" :changes="look.changes" :set="page.draft.set" />
          <details v-if="look.differences.length" class="mt-2">
            <summary>{{ plural(look.differences.length, 'line differs', 'lines differ') }} from version {{ page.version }}</summary>
            <div v-for="(one, i) in look.differences" :key="i" class="small">{{ say(one) }}</div>
          </details>
        </template>
      </template>
      <h2>Versions</h2>
      <div v-for="(version, i) in versions?.versions ?? []" :key="version.version" class="version">
        <strong>{{ version.version }}</strong>
        <div>
          <span class="quiet small">{{ when(version.publishedMs) }}, {{ version.author }}</span>
          <span v-if="version.state" :class="version.state === 'in force' ? 'moss' : 'ochre'">&ensp;{{ version.state }}</span>
          <div v-if="version.note">{{ version.note }}</div>
          <details v-if="version.differences.length" class="small">
            <summary>{{ plural(version.differences.length, 'difference') }}</summary>
            <div v-for="(one, j) in version.differences" :key="j">{{ say(one) }}</div>
          </details>
          <div v-if="compared?.from === version.version && between" class="small sure">
            Against version {{ compared.to }}: <template v-if="between.differences.length === 0">the same.</template>
            <div v-for="(one, j) in between.differences" :key="j">{{ say(one) }}</div>
          </div>
        </div>
        <div class="acts small">
          <select class="form-select" value="" :aria-label="`Compare version ${version.version} with`" @change="compare(version.version, $event)">
            <option value="" disabled>Compare with …</option>
            <option v-for="other in versions?.versions ?? []" :key="other.version" :value="other.version">{{ other.version }}</option>
          </select>
          <BButton v-if="i > 0 && session.isAdministrator" variant="link" @click="restore.mutate(version.version)">Take as draft</BButton>
          <a :href="addressOf('policiesExport', { query: { format: 'json', version: version.version } })">JSON</a>
          <a :href="addressOf('policiesExport', { query: { format: 'yaml', version: version.version } })">YAML</a>
        </div>
      </div>
    </section>
    <aside class="margin" aria-label="Publish">
      <template v-if="page.draft && session.isAdministrator">
        <h2>Publish</h2>
        <p v-if="look?.stopped" class="madder" role="status">{{ look.stopped }} <RouterLink to="/policies/promises">See</RouterLink></p>
        <p v-if="page.draft.review" class="small">
          {{ page.draft.review }} asked for a review. <BButton variant="link" @click="review.mutate(false)">Take it back</BButton>
        </p>
        <BButton v-else variant="outline-secondary" class="go" @click="review.mutate(true)">Ask for a review</BButton>
        <form @submit.prevent="publish.mutate()">
          <label class="small">Why <input v-model="note" class="form-control" /></label>
          <label class="small"
            >It reaches
            <select v-model="waves" class="form-select">
              <option value="few first">one host of each pool, then a third, then all</option>
              <option value="zones">one zone after another</option>
              <option value="at once">everybody at once</option>
            </select></label
          >
          <label class="small"
            >People of this group first (blank: none) <input v-model="firstGroup" class="form-control" list="groups-first" /><datalist
              id="groups-first"
            >
              <option v-for="one in page.known['group'] ?? []" :key="one" :value="one" /></datalist
          ></label>
          <label v-if="waves !== 'at once' || firstGroup" class="small"
            >Pause between waves, min <input v-model.number="pauseMinutes" class="form-control" type="number" min="0" max="10080"
          /></label>
          <BButton
            type="submit"
            variant="primary"
            class="go mt-2"
            :disabled="!look || look.stopped !== null || look.differences.length === 0 || publish.isPending.value"
            >Publish as version {{ page.version + 1 }}</BButton
          >
        </form>
        <p v-if="publish.error.value" class="madder" role="alert">{{ problemWords(publish.error.value) }}</p>
      </template>
      <p v-else-if="!page.draft" class="quiet">There is no draft. <RouterLink to="/policies">Change something</RouterLink> to begin one.</p>
      <h2>From a file</h2>
      <p class="small quiet">A set as JSON or YAML becomes the draft; first it is said what is wrong with it.</p>
      <input v-if="session.isAdministrator" type="file" accept=".json,.yaml,.yml" class="form-control" aria-label="A set as a file" @change="pick" />
      <p v-if="unread" class="madder" role="alert">{{ unread }}</p>
      <div v-if="given" class="sure">
        <p>{{ given.name }}: {{ plural(given.policies, 'policy', 'policies') }} understood.</p>
        <p
          v-for="fault in given.faults.slice(0, 12)"
          :key="fault.path + fault.sentence"
          class="small"
          :class="fault.weight === 'wrong' ? 'madder' : 'ochre'"
        >
          <span class="mono">{{ fault.path }}</span> {{ fault.sentence }}
        </p>
        <p v-if="given.faults.length > 12" class="small quiet">and {{ given.faults.length - 12 }} more</p>
        <BButton v-if="wrong.length === 0" variant="primary" class="go" @click="take.mutate('all')">Take it as the draft</BButton>
        <BButton v-else variant="outline-secondary" class="go" @click="take.mutate('understood')"
          >Take only what was understood<template v-if="given.leftOut.length">
            (without {{ given.leftOut.slice(0, 3).join(', ') }}{{ given.leftOut.length > 3 ? ' …' : '' }})</template
          ></BButton
        >
        <p v-if="take.error.value" class="madder" role="alert">{{ problemWords(take.error.value) }}</p>
      </div>
    </aside>
  </div>
</template>

<style scoped>
.version {
  display: grid;
  grid-template-columns: 36px minmax(0, 1fr) auto;
  gap: 8px;
  border-top: 1px solid var(--hair);
  padding: 7px 0;
}
.acts {
  display: flex;
  gap: 10px;
  align-items: flex-start;
  white-space: nowrap;
}
.acts .form-select {
  width: 150px;
  padding: 0 28px 0 6px;
}
form label {
  display: block;
  margin-top: 6px;
}
@media (max-width: 820px) {
  .version {
    grid-template-columns: 36px minmax(0, 1fr);
  }
  .acts {
    grid-column: 2;
    flex-wrap: wrap;
  }
}
</style>
