<script setup lang="ts">
import { keepPreviousData, useQueries } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { bucketFromMs, COHORT_KINDS, type Cohort } from '../../contract/compare'
import type { Story } from '../../contract/logons'
import { csvAddress } from '../kit/csv'
import { duration, fieldMs, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { MOST_ON_BENCH, useBench } from '../shell/bench'
import { useWindow } from '../shell/window'
import { compareCohorts, compareLogons } from './compared'
import DistributionPicture from './DistributionPicture.vue'
import LogonViews from './LogonViews.vue'

const route = useRoute()
const router = useRouter()
const bench = useBench()
const { fromMs, toMs, chosen } = useWindow()
/** What is compared stands in the address, so that it can be sent to somebody. */
const ids = computed(() => {
  const given = [route.query['one'] ?? []].flat().filter((one): one is string => typeof one === 'string' && one.includes(':'))
  return (given.length ? given : bench.items.value.map(({ id }) => id)).slice(0, MOST_ON_BENCH)
})
const results = useQueries({
  queries: computed(() =>
    ids.value.map((id) => ({
      queryKey: ['compared', id, chosen.value.id],
      placeholderData: keepPreviousData,
      queryFn: async (): Promise<{ story: Story } | { cohort: Cohort }> =>
        id.startsWith('logon:')
          ? { story: await call('story', { params: { id: id.slice('logon:'.length) } }) }
          : { cohort: await call('cohort', { params: { id }, query: { fromMs: fromMs.value, toMs: toMs.value } }) },
    })),
  ),
})
const faults = computed(() => results.value.map(({ error }) => (error ? problemWords(error) : null)))
const found = computed(() => results.value.map(({ data }) => data))
const stories = computed(() => found.value.flatMap((one) => (one && 'story' in one ? [one.story] : [])))
const cohorts = computed(() => found.value.flatMap((one) => (one && 'cohort' in one ? [one.cohort] : [])))
const all = ref(false)
const titleOf = (id: string) => {
  const kind = id.slice(0, id.indexOf(':'))
  const value = id.slice(kind.length + 1)
  if (kind === 'before' || kind === 'since') return `${kind} ${when(Number(value))}`
  const known = bench.items.value.find((one) => one.id === id)?.title
  return known ?? (kind === 'logon' ? `logon ${value.slice(0, 8)}` : `${kind} ${value}`)
}
const tables = computed(() =>
  [
    { title: 'Logons', heads: stories.value.map(({ id }) => `logon:${id}`), lines: compareLogons(stories.value) },
    { title: `Cohorts, in the ${chosen.value.title}`, heads: cohorts.value.map(({ id }) => id), lines: compareCohorts(cohorts.value) },
  ].filter(({ heads }) => heads.length > 0),
)
const set = (list: string[]) => router.replace({ query: { ...route.query, one: list } })
function away(id: string): void {
  bench.take(id)
  void set(ids.value.filter((one) => one !== id))
}
const kind = ref<string>('host')
const value = ref('')
function add(): void {
  const text = kind.value === 'before' || kind.value === 'since' ? String(fieldMs(value.value) ?? '') : value.value.trim()
  if (!text) return
  const id = `${kind.value}:${text}`
  bench.put({ id, title: titleOf(id) })
  void set([...ids.value.filter((one) => one !== id), id].slice(-MOST_ON_BENCH))
  value.value = ''
}
const csv = (table: (typeof tables.value)[number]) =>
  csvAddress(
    table.lines.map((one) => ({ what: one.title, ...Object.fromEntries(table.heads.map((head, i) => [titleOf(head), one.values[i] ?? ''])) })),
  )
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>Compared</h1>
      <LogonViews />
      <p v-if="ids.length === 0" class="quiet">
        Nothing is on the bench. Open a logon or a person and press <kbd>b</kbd>, or add a host, an image or a moment in the margin. Two to four
        things can be laid side by side.
      </p>
      <p v-for="(fault, i) in faults" v-show="fault" :key="ids[i] ?? i" class="madder" role="alert">{{ titleOf(ids[i] ?? '') }}: {{ fault }}</p>
      <template v-for="table in tables" :key="table.title">
        <h2>
          {{ table.title }}
          <BButton variant="link" class="small" @click="all = !all">{{ all ? 'Only what differs' : 'Also what is alike' }}</BButton>
          <a class="small" :href="csv(table)" download="compared.csv">CSV</a>
        </h2>
        <DistributionPicture v-if="table.heads[0] && !table.heads[0].startsWith('logon:')" :cohorts="cohorts" :title-of="titleOf" />
        <div class="scroll-x">
          <table class="plain" :aria-label="table.title">
            <thead>
              <tr>
                <th></th>
                <th v-for="head in table.heads" :key="head" class="number">
                  <RouterLink v-if="head.startsWith('logon:')" :to="`/logons/${encodeURIComponent(head.slice(6))}`">{{ titleOf(head) }}</RouterLink>
                  <template v-else>{{ titleOf(head) }}</template>
                </th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in table.lines.filter((l) => all || l.differs || table.heads.length === 1)" :key="one.title">
                <td>{{ one.title }}</td>
                <td
                  v-for="(text, i) in one.values"
                  :key="i"
                  class="number"
                  :class="{
                    most:
                      one.differs && one.numbers[i] !== null && one.factor > 1.5 && one.numbers[i] === Math.max(...one.numbers.map((n) => n ?? 0)),
                  }"
                >
                  {{ text }}
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <p v-if="!all && table.heads.length > 1" class="quiet small">
          {{ table.lines.filter((l) => !l.differs).length }} more are alike{{ table.heads.length > 1 ? ' (numbers within 15 %)' : '' }}.
        </p>
      </template>
    </section>
    <aside class="margin" aria-label="The bench">
      <h2>On the bench</h2>
      <p v-if="ids.length === 0" class="quiet">Empty.</p>
      <div v-for="id in ids" :key="id" class="item">
        <span>{{ titleOf(id) }}</span>
        <button type="button" class="bare" :aria-label="`Take ${titleOf(id)} away`" @click="away(id)"><i-lucide-x /></button>
      </div>
      <h2>Add</h2>
      <form @submit.prevent="add">
        <select v-model="kind" class="form-select" aria-label="What to add">
          <option v-for="one in COHORT_KINDS" :key="one" :value="one">
            {{ one === 'before' ? 'before a moment' : one === 'since' ? 'since a moment' : one }}
          </option>
        </select>
        <BFormInput
          v-model="value"
          :type="kind === 'before' || kind === 'since' ? 'datetime-local' : 'text'"
          aria-label="Which"
          :placeholder="kind === 'host' ? 'TH-Q1-03' : ''"
        />
        <BButton type="submit" variant="outline-secondary">Add</BButton>
      </form>
      <p class="quiet small">Cohorts are those of the {{ chosen.title }}; buckets from {{ duration(bucketFromMs(0)) }} on, each 15 % wider.</p>
    </aside>
  </div>
</template>

<style scoped>
.item {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  border-top: 1px solid var(--hair);
  padding: 5px 0;
}
form {
  display: grid;
  gap: 8px;
}
.most {
  font-weight: 600;
  color: var(--ochre);
}
</style>
