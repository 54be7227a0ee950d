<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import type { OrgFileText } from '../../contract/org'
import { count, plural } from '../kit/format'
import JobSteps from '../journal/JobSteps.vue'
import { call, problemWords } from '../shell/api'

/** The organisation as a file (org.json): what giving it would replace, then giving it. */
const client = useQueryClient()
const input = ref<HTMLInputElement | null>(null)
const file = ref<{ name: string; org: OrgFileText } | null>(null)
const fault = ref('')
const look = useMutation({
  mutationFn: (body: OrgFileText) => call('orgFileLook', { body }),
  onError: (error) => (fault.value = problemWords(error)),
})
const give = useMutation({
  mutationFn: (body: OrgFileText) => call('orgFileGive', { body }),
  onSuccess: async () => {
    file.value = null
    await client.invalidateQueries({ queryKey: ['people'] })
  },
  onError: (error) => (fault.value = problemWords(error)),
})
const lists = computed(() => (file.value ? look.data.value?.lists : undefined))
async function picked(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const [chosen] = field.files ?? []
  if (!chosen) return
  fault.value = ''
  file.value = null
  give.reset()
  try {
    const org = JSON.parse(await chosen.text()) as OrgFileText
    await look.mutateAsync(org)
    file.value = { name: chosen.name, org }
  } catch (error) {
    if (error instanceof SyntaxError) fault.value = `${chosen.name} is not valid JSON.`
  }
  field.value = ''
}
</script>

<template>
  <BButton variant="outline-secondary" @click="input?.click()">Give it as a file…</BButton>
  <input
    ref="input"
    type="file"
    accept=".json,application/json"
    class="visually-hidden"
    aria-label="The organisation"
    tabindex="-1"
    @change="picked"
  />
  <p v-if="fault" class="madder" role="alert">{{ fault }}</p>
  <p v-if="give.data.value" class="quiet" role="status">
    {{ plural(give.data.value.people, 'person', 'people') }}, {{ plural(give.data.value.groups, 'group') }},
    {{ plural(give.data.value.pools, 'pool') }} and {{ plural(give.data.value.hosts, 'host') }} are known now. Logons that come from now on are
    explained with it.
    <template v-if="give.data.value.anew">
      {{ plural(give.data.value.anew.attempts, 'logon') }} that came before {{ give.data.value.anew.attempts === 1 ? 'names' : 'name' }} people or
      hosts that were not known then:
    </template>
  </p>
  <JobSteps v-if="give.data.value?.anew" :id="give.data.value.anew.job" class="look" />
  <section v-if="file && lists" class="look" aria-label="What the file replaces">
    <h2>{{ file.name }} replaces</h2>
    <table class="plain">
      <thead>
        <tr>
          <th></th>
          <th class="number">Known now</th>
          <th class="number">In the file</th>
          <th>No longer known then</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in lists" :key="one.list">
          <td class="nowrap">{{ one.list }}</td>
          <td class="number">{{ count(one.now) }}</td>
          <td class="number">{{ count(one.then) }}</td>
          <td>
            <template v-if="one.gone === 0">none</template>
            <span v-else class="madder"
              >{{ count(one.gone) }}: {{ one.goneIds.join(', ') }}{{ one.gone > one.goneIds.length ? ' and more' : '' }}</span
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p class="quiet small">Logons and containers stay. A directory that is sent with a token replaces it again.</p>
    <BButton variant="primary" :disabled="give.isPending.value" @click="give.mutate(file.org)">Replace</BButton>
    <BButton variant="link" @click="file = null">Leave it as it is</BButton>
  </section>
</template>

<style scoped>
.look {
  margin: 8px 0 18px;
}
</style>
