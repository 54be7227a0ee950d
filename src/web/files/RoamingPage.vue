<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { roamingDay, type RoamingEvent } from '../../core/files'
import type { Settings } from '../../contract/other'
import { FILE_ROAMING } from '../../core/policies'
import { clockOfMinutes, plural, size } from '../kit/format'
import { useDraft } from '../policies/draft'
import FileRoamingFields from '../policies/FileRoamingFields.vue'
import { call } from '../shell/api'
import { useSession } from '../shell/session'
import { STORIES, type Story } from './stories'

const router = useRouter()
const session = useSession()
const draft = useDraft()
const { data: policy } = useQuery({ queryKey: ['policy'], queryFn: () => call('policy', {}) })
const { data: pools } = useQuery({ queryKey: ['pools'], queryFn: ({ signal }) => call('pools', {}, signal) })
const settings = ref<Settings['fileRoaming']>({ ...FILE_ROAMING, groups: [...FILE_ROAMING.groups] })
const asIn = (page: { settings: Settings } | undefined) => JSON.stringify(settings.value) === JSON.stringify(page?.settings.fileRoaming)
// As the policy has it, until something else is tried: what is tried stays when the policy is asked again.
watch(
  policy,
  (page, before) => {
    if (page && (!before || asIn(before))) settings.value = { ...page.settings.fileRoaming, groups: [...page.settings.fileRoaming.groups] }
  },
  { immediate: true },
)
const rules = computed(() => policy.value?.settings.pathRules ?? [])
const chosen = ref(0)
const story = computed<Story>(() => STORIES[chosen.value] ?? (STORIES[0] as Story))
const events = ref<RoamingEvent[]>([])
watch(
  story,
  (one) => {
    events.value = [...one.events]
  },
  { immediate: true },
)
const day = computed(() => roamingDay(settings.value, rules.value, story.value.who, events.value))
const using = computed(() => (pools.value?.pools ?? []).filter(({ mode }) => mode === 'files'))
const WEIGHTS = { plain: '', unusual: 'ochre', bad: 'madder' } as const
const KINDS = { logon: 'logs on', logoff: 'logs off', write: 'writes', open: 'opens', remove: 'removes' } as const
const adding = ref({ kind: 'write' as RoamingEvent['kind'], host: 'A', time: '10:00', path: 'Documents\\plan.docx' })
const minutes = (text: string) => {
  const [h = 0, m = 0] = text.split(':').map(Number)
  return h * 60 + m
}
function add(): void {
  const { kind, host, time, path } = adding.value
  const atMin = minutes(time)
  const event: RoamingEvent =
    kind === 'logon' || kind === 'logoff'
      ? { atMin, host, kind }
      : kind === 'write'
        ? { atMin, host, kind, path, what: `as written on ${host} at ${time}`, bytes: 200_000 }
        : { atMin, host, kind, path }
  events.value = [...events.value, event].sort((a, b) => a.atMin - b.atMin)
}
const same = computed(() => asIn(policy.value))
function toPolicy(): void {
  draft.propose({ fileRoaming: { ...settings.value, groups: [...settings.value.groups] } }, 'file roaming as it was tried')
  void router.push('/policies/base')
}
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>A day under file roaming</h1>
      <div class="sub">
        {{ using.length ? `For ${using.map(({ name }) => name).join(', ')}: ` : 'No pool works with it now: ' }}an agent copies the files of a profile
        between host and share. Try what that does to somebody who works on two hosts.
      </div>
      <div class="toolbar">
        <select v-model="chosen" class="form-select" aria-label="Story">
          <option v-for="(one, i) in STORIES" :key="one.title" :value="i">{{ one.title }}</option>
        </select>
      </div>
      <p class="lead">
        <template v-if="day.conflicts.length === 0 && day.lost.length === 0">Nothing is lost, and no file was written twice.</template>
        <template v-if="day.conflicts.length"
          ><strong class="madder">{{ plural(day.conflicts.length, 'file') }}</strong> written by two sessions; the last to write won.
        </template>
        <template v-if="day.lost.length"
          ><strong class="madder">{{ plural(day.lost.length, 'file') }}</strong> lost.
        </template>
        <span class="quiet">{{ size(day.fetchedBytes) }} fetched, {{ size(day.writtenBytes) }} written back.</span>
      </p>
      <table v-if="day.conflicts.length" class="plain" aria-label="Conflicts">
        <thead>
          <tr>
            <th>File</th>
            <th>On the share now</th>
            <th>Gone</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in day.conflicts" :key="one.path + one.atMin">
            <td class="mono">{{ one.path }}</td>
            <td>
              {{ one.kept }} <span class="quiet">from {{ one.keptFrom }}, {{ clockOfMinutes(one.atMin) }}</span>
            </td>
            <td class="madder">
              {{ one.gone }} <span class="quiet">from {{ one.goneFrom }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <table v-if="day.lost.length" class="plain" aria-label="Lost">
        <thead>
          <tr>
            <th>Lost</th>
            <th>What was in it</th>
            <th>Why</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in day.lost" :key="one.path + one.host">
            <td class="mono">{{ one.path }}</td>
            <td>{{ one.what }}</td>
            <td>{{ one.why }} ({{ one.host }})</td>
          </tr>
        </tbody>
      </table>
      <h2>The day</h2>
      <table class="plain" aria-label="The day">
        <tbody>
          <tr v-for="(step, i) in day.steps" :key="i">
            <td class="quiet nowrap">{{ clockOfMinutes(step.atMin) }}</td>
            <td class="mono">{{ step.host }}</td>
            <td :class="WEIGHTS[step.weight]">{{ step.sentence }}</td>
          </tr>
        </tbody>
      </table>
      <h2>On the share in the evening</h2>
      <p v-if="day.share.length === 0" class="quiet">Nothing.</p>
      <table v-else class="plain" aria-label="On the share">
        <tbody>
          <tr v-for="one in day.share" :key="one.path">
            <td class="mono">{{ one.path }}</td>
            <td>{{ one.what }}</td>
            <td class="quiet">from {{ one.from }}</td>
          </tr>
        </tbody>
      </table>
      <template v-if="day.leftOn.length"
        ><h2>Left on hosts</h2>
        <ul class="small">
          <li v-for="one in day.leftOn" :key="one.host + one.path">
            <span class="mono">{{ one.host }}</span>: <span class="mono">{{ one.path }}</span>, {{ one.what }}
          </li>
        </ul></template
      >
      <details>
        <summary>Make up another day</summary>
        <div class="toolbar">
          <input v-model="adding.time" type="time" class="form-control" aria-label="At" />
          <select v-model="adding.host" class="form-select" aria-label="Host">
            <option>A</option>
            <option>B</option>
            <option>C</option>
          </select>
          <select v-model="adding.kind" class="form-select" aria-label="What is done">
            <option v-for="(title, kind) in KINDS" :key="kind" :value="kind">{{ title }}</option>
          </select>
          <input v-if="adding.kind !== 'logon' && adding.kind !== 'logoff'" v-model="adding.path" class="form-control mono" aria-label="File" />
          <BButton variant="outline-secondary" @click="add">Add</BButton> <BButton variant="link" @click="events = []">begin with nothing</BButton>
        </div>
        <ul class="small">
          <li v-for="(event, i) in events" :key="i">
            {{ clockOfMinutes(event.atMin) }} on {{ event.host }}: {{ KINDS[event.kind] }}
            <span class="mono">{{ 'path' in event ? event.path : '' }}</span>
            <button type="button" class="bare" aria-label="Take this away" @click="events = events.filter((_, j) => j !== i)">×</button>
          </li>
        </ul>
      </details>
    </section>
    <aside class="margin" aria-label="How files roam">
      <h2>How files roam</h2>
      <FileRoamingFields v-model="settings" />
      <p class="small quiet mt-2">
        {{ rules.length ? `With the ${plural(rules.length, 'path rule')} of the policy.` : 'Without path rules: everything is kept.' }}
        <RouterLink to="/inside">Try path rules</RouterLink>
      </p>
      <BButton variant="primary" class="w-100 text-start" :disabled="same || !session.isAdministrator" @click="toPolicy"
        >Put this into a draft of the policy</BButton
      >
    </aside>
  </div>
</template>
