<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { CHANGE_KINDS, type ChangeKind, type ChangeLine } from '../../contract/changes'
import { csvAddress } from '../kit/csv'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { exact, fieldMs, fieldOf, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import { useWindow } from '../shell/window'
import JournalViews from './JournalViews.vue'

const session = useSession()
const client = useQueryClient()
const { stretch, chosen } = useWindow()
const { data, isPending, error, refetch } = useQuery({
  queryKey: ['changes', computed(() => stretch.value && chosen.value.id)],
  queryFn: () => call('changes', { query: stretch.value ?? {} }),
})
const kind = ref<ChangeKind | ''>('')
const changes = computed(() => (data.value?.changes ?? []).filter((one) => kind.value === '' || one.kind === kind.value))
const where = ({ scope }: ChangeLine) => (scope.length ? scope.map(({ dimension, value }) => `${dimension} ${value}`).join(', ') : 'everywhere')
const columns: Column<ChangeLine>[] = [
  { key: 'at', title: 'When', sort: (one) => one.atMs },
  { key: 'kind', title: 'What kind', sort: (one) => one.kind },
  { key: 'sentence', title: 'What', sort: (one) => one.sentence },
  { key: 'where', title: 'Where', sort: where },
  { key: 'who', title: 'Who told', sort: (one) => one.who },
  { key: 'away', title: '' },
]
const DIMENSIONS = ['host', 'pool', 'share', 'image', 'zone', 'site', 'network', 'group', 'package', 'part', 'clientVersion']
const form = reactive({ at: fieldOf(Date.now()), kind: 'other' as ChangeKind, sentence: '', dimension: '', value: '' })
const fresh = () => client.invalidateQueries({ queryKey: ['changes'] })
const telling = useMutation({
  mutationFn: () =>
    call('changeTell', {
      body: {
        at: new Date(fieldMs(form.at) ?? Date.now()).toISOString(),
        kind: form.kind,
        sentence: form.sentence,
        scope: form.dimension && form.value.trim() ? [{ dimension: form.dimension, value: form.value.trim() }] : [],
      },
    }),
  onSuccess: () => {
    Object.assign(form, { sentence: '', value: '' })
    return fresh()
  },
})
const taking = useMutation({ mutationFn: (id: string) => call('changeForget', { params: { id } }), onSuccess: fresh })
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>Changes</h1>
      <div class="sub">What was altered, here and elsewhere. When something begins to go wrong, these are looked at first.</div>
      <JournalViews />
      <div class="toolbar">
        <select v-model="kind" class="form-select" aria-label="Kind">
          <option value="">every kind</option>
          <option v-for="one in CHANGE_KINDS" :key="one" :value="one">{{ one }}</option>
        </select>
        <a
          class="export"
          :href="
            csvAddress(
              changes.map((one) => ({ at: new Date(one.atMs).toISOString(), kind: one.kind, what: one.sentence, where: where(one), who: one.who })),
            )
          "
          download="changes.csv"
          >Export CSV</a
        >
      </div>
      <PageState v-if="!data" :loading="isPending" :error="error" @retry="refetch()" />
      <DataTable
        v-else
        :columns="columns"
        :rows="changes"
        :row-key="(one) => one.id"
        label="Changes"
        :empty="`No change of the ${stretch ? chosen.title : 'last 30 days'} is known. Tell of one in the margin, or let other programs do it at /api/changes/told.`"
      >
        <template #at="{ row }"
          ><span class="nowrap" :title="exact(row.atMs)">{{ when(row.atMs) }}</span></template
        >
        <template #kind="{ row }">{{ row.kind }}</template>
        <template #sentence="{ row }">{{ row.sentence }}</template>
        <template #where="{ row }">{{ where(row) }}</template>
        <template #who="{ row }"
          ><span class="nowrap">{{ row.who }}</span></template
        >
        <template #away="{ row }"
          ><BButton
            v-if="session.isAdministrator"
            variant="link"
            class="small"
            :aria-label="`Take back: ${row.sentence}`"
            @click="taking.mutate(row.id)"
            >take back</BButton
          ></template
        >
      </DataTable>
    </section>
    <aside class="margin" aria-label="Tell of a change">
      <h2>Tell of a change</h2>
      <p class="quiet small">Something that was altered outside: a switch, a directory server, a storage upgrade.</p>
      <form v-if="session.mayHelp" @submit.prevent="telling.mutate()">
        <label
          >What happened
          <BFormInput v-model="form.sentence" required minlength="3" placeholder="Storage of quay-fs1 got new firmware" />
        </label>
        <label>When <BFormInput v-model="form.at" type="datetime-local" required /></label>
        <label
          >Kind
          <select v-model="form.kind" class="form-select">
            <option v-for="one in CHANGE_KINDS" :key="one" :value="one">{{ one }}</option>
          </select></label
        >
        <div class="pair">
          <label
            >Where
            <select v-model="form.dimension" class="form-select">
              <option value="">everywhere</option>
              <option v-for="one in DIMENSIONS" :key="one" :value="one">{{ one }}</option>
            </select></label
          >
          <label v-if="form.dimension">Which <BFormInput v-model="form.value" required /></label>
        </div>
        <BButton type="submit" variant="primary" :disabled="telling.isPending.value">Tell</BButton>
        <p v-if="telling.error.value" class="madder" role="alert">{{ problemWords(telling.error.value) }}</p>
      </form>
      <p v-else class="quiet">Your role does not include this.</p>
    </aside>
  </div>
</template>

<style scoped>
.export {
  margin-left: auto;
}
form {
  display: grid;
  gap: 10px;
}
label {
  display: grid;
  gap: 3px;
}
.pair {
  display: grid;
  gap: 10px;
}
</style>
