<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { AREAS, CATALOGUE, notOfPlace, readSet, sayValueOf, settingOf, type Policy } from '../../core/policies'
import { fieldMs, fieldOf, isoOf, plural } from '../kit/format'
import { vKept } from '../kit/kept'
import PageState from '../kit/PageState.vue'
import { useSession } from '../shell/session'
import ConditionBuilder from './ConditionBuilder.vue'
import ConditionText from './ConditionText.vue'
import DraftMargin from './DraftMargin.vue'
import PolicyViews from './PolicyViews.vue'
import { freeId, useLook, usePolicies } from './set'
import ValueField from './ValueField.vue'

/** One policy: for whom, when, and what then. What is understood is kept in the draft at once; what is not waits here. */
const props = defineProps<{ id: string }>()
const router = useRouter()
const session = useSession()
const { page, set, isPending, error, refetch, edit, refused } = usePolicies()
const { data: look } = useLook(page)
const kept = computed(() => set.value?.policies.find((one) => one.id === props.id) ?? null)
/** What is being edited; it differs from what is kept only while something in it is not understood. */
const waiting = ref<Policy | null>(null)
const policy = computed(() => waiting.value ?? kept.value)
const faults = computed(() => (policy.value ? readSet({ policies: [policy.value] }).faults : []))
function put(change: Partial<Policy>): void {
  if (!policy.value) return
  const next = Object.fromEntries(Object.entries({ ...policy.value, ...change }).filter(([, value]) => value !== undefined)) as unknown as Policy
  const understood = readSet({ policies: [next] }).faults.every(({ weight }) => weight !== 'wrong')
  waiting.value = understood ? null : next
  if (understood) edit((draft) => ({ ...draft, policies: draft.policies.map((one) => (one.id === props.id ? next : one)) }))
}
const at = computed(() => set.value?.policies.findIndex((one) => one.id === props.id) ?? -1)
const next = computed(() => set.value?.policies[at.value + 1] ?? null)
/** This one and the next, as one: either condition, and of what both set what stands higher. */
function merge(): void {
  const [one, other] = [kept.value, next.value]
  if (!one || !other) return
  edit((draft) => ({
    ...draft,
    policies: draft.policies.flatMap((each) =>
      each.id === one.id
        ? [{ ...one, name: `${one.name}, ${other.name}`, when: { any: [one.when, other.when] }, settings: { ...other.settings, ...one.settings } }]
        : each.id === other.id
          ? []
          : [each],
    ),
  }))
}
const addable = computed(() =>
  AREAS.map((area) => ({
    area,
    settings: CATALOGUE.filter(
      (setting) =>
        setting.area === area &&
        setting.holdsFor !== 'base' &&
        (setting.holdsFor === 'session' || (policy.value && notOfPlace(policy.value.when) === null)) &&
        !(setting.id in (policy.value?.settings ?? {})),
    ),
  })).filter(({ settings }) => settings.length),
)
function add(event: Event): void {
  const select = event.target as HTMLSelectElement
  const setting = settingOf(select.value)
  select.value = ''
  if (setting) put({ settings: { ...policy.value?.settings, [setting.id]: set.value?.base[setting.id] ?? setting.default } })
}
const setValue = (id: string, value: unknown) => put({ settings: { ...policy.value?.settings, [id]: value } })
function without(id: string): void {
  const { [id]: _, ...rest } = policy.value?.settings ?? {}
  put({ settings: rest })
}
const local = (moment: string | undefined) => (moment ? fieldOf(Date.parse(moment)) : '')
const moment = (text: string) => isoOf(fieldMs(text)) ?? undefined
const value = (event: Event) => (event.target as HTMLInputElement).value
function copy(): void {
  const one = kept.value
  if (!one || !set.value) return
  const id = freeId(set.value, `${one.id}-copy`)
  edit((draft) => ({
    ...draft,
    policies: draft.policies.flatMap((each) => (each.id === one.id ? [one, { ...one, id, name: `${one.name}, copy`, state: 'off' }] : [each])),
  }))
  void router.push(`/policies/order/${id}`)
}
const place = (name: string) => CATALOGUE.findIndex((one) => one.id === name)
const ordered = (settings: Policy['settings']) => Object.entries(settings).sort(([a], [b]) => place(a) - place(b))
const effects = {
  'next logon': 'from the next logon on',
  'at once': 'at once',
  'host restart': 'when the host is restarted',
  'in Ikebana': 'in Ikebana',
} as const
</script>

<template>
  <PageState v-if="!page || !set" :loading="isPending" :error="error" @retry="refetch()" />
  <div v-else class="page">
    <section class="work">
      <template v-if="!policy">
        <h1>No policy has this id</h1>
        <PolicyViews />
        <p><RouterLink to="/policies">All policies</RouterLink></p>
      </template>
      <template v-else>
        <h1>{{ policy.name }}</h1>
        <PolicyViews />
        <p class="sub">
          Place {{ at + 1 }} of {{ set.policies.length
          }}<template v-if="look && (look.reach[id] ?? -1) >= 0">; it can apply to {{ plural(look.reach[id] ?? 0, 'person', 'people') }}</template
          >.
        </p>
        <p v-if="refused" class="madder" role="alert">{{ refused }}</p>
        <p v-if="waiting" class="ochre" role="status">Not kept yet: {{ faults[0]?.sentence }}</p>
        <fieldset class="plainset" :disabled="!session.isAdministrator">
          <div class="who">
            <label>Name <input class="form-control" v-kept="policy.name" @change="put({ name: value($event) })" /></label>
            <label>Owner <input class="form-control" v-kept="policy.owner" @change="put({ owner: value($event) })" /></label>
            <label
              >It is
              <select class="form-select" :value="policy.state" @change="put({ state: value($event) as Policy['state'] })">
                <option value="on">on</option>
                <option value="off">switched off</option>
                <option value="draft">a draft</option>
              </select></label
            >
            <label
              >from
              <input
                class="form-control"
                type="datetime-local"
                v-kept="local(policy.from)"
                @change="put({ from: moment(value($event)) } as Partial<Policy>)"
            /></label>
            <label
              >until
              <input
                class="form-control"
                type="datetime-local"
                v-kept="local(policy.until)"
                @change="put({ until: moment(value($event)) } as Partial<Policy>)"
            /></label>
          </div>
          <label class="note">Why it is there <input class="form-control" v-kept="policy.note" @change="put({ note: value($event) })" /></label>
          <h2>For whom, and when</h2>
          <ConditionText :model-value="policy.when" :known="page.known" @update:model-value="put({ when: $event })" />
          <details open>
            <summary class="small quiet">by clicking</summary>
            <ConditionBuilder
              :model-value="'all' in policy.when || 'any' in policy.when || 'none' in policy.when ? policy.when : { all: [policy.when] }"
              :known="page.known"
              @update:model-value="put({ when: $event })"
            />
          </details>
          <h2>Then</h2>
          <div v-for="[setting, one] in ordered(policy.settings)" :key="setting" class="setting">
            <template v-if="settingOf(setting)">
              <div>
                <strong>{{ settingOf(setting)?.title }}</strong>
                <div class="small quiet">
                  {{ settingOf(setting)?.sentence }} Base: {{ sayValueOf(settingOf(setting)!, set.base[setting] ?? settingOf(setting)?.default) }}.
                  Takes effect {{ effects[settingOf(setting)?.takesEffect ?? 'next logon'] }}.
                  {{
                    {
                      first: '',
                      strictest: 'Of several policies the strictest value counts.',
                      loosest: 'Of several policies the loosest value counts.',
                      union: 'What several policies name is put together.',
                      append: 'What several policies name is put one after the other.',
                    }[settingOf(setting)?.combine ?? 'first']
                  }}
                </div>
              </div>
              <ValueField :setting="settingOf(setting)!" :model-value="one" @update:model-value="setValue(setting, $event)" />
            </template>
            <template v-else>
              <div>
                <strong class="mono">{{ setting }}</strong>
                <div class="small ochre">Not known here: it is kept, and not applied.</div>
              </div>
              <span class="mono">{{ JSON.stringify(one) }}</span>
            </template>
            <button type="button" class="bare" :aria-label="`Take ${settingOf(setting)?.title ?? setting} away`" @click="without(setting)">
              <i-lucide-x />
            </button>
          </div>
          <select class="form-select adder" value="" aria-label="Add a setting" @change="add">
            <option value="" disabled>Add a setting …</option>
            <optgroup v-for="group in addable" :key="group.area" :label="group.area">
              <option v-for="setting in group.settings" :key="setting.id" :value="setting.id">{{ setting.title }}</option>
            </optgroup>
          </select>
          <p class="acts">
            <BButton variant="link" @click="copy">Copy it</BButton>
            <BButton v-if="next" variant="link" @click="merge">Merge it with the next, {{ next.name }}</BButton>
          </p>
        </fieldset>
      </template>
    </section>
    <DraftMargin :page="page" :look="look" />
  </div>
</template>

<style scoped>
.plainset {
  border: 0;
  padding: 0;
  margin: 0;
  min-width: 0;
}
.who {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 0.8fr) 110px 206px 206px;
  gap: 10px;
}
.who label,
.note {
  font-size: 12.5px;
  color: var(--ink-2);
  min-width: 0;
}
.note {
  display: block;
  margin-top: 8px;
}
.setting {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 320px 28px;
  gap: 14px;
  padding: 8px 0;
  border-top: 1px solid var(--hair);
}
.adder {
  max-width: 320px;
  color: var(--ink-2);
}
.acts {
  margin-top: 10px;
}
@media (max-width: 700px) {
  .who,
  .setting {
    grid-template-columns: 1fr;
  }
}
</style>
