<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { count, plural } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** How a share names its folders, and what another way would make of the containers that lie there. */
const props = defineProps<{ id: string; naming: string }>()
const session = useSession()
const client = useQueryClient()
const text = ref(props.naming)
watch(
  () => props.naming,
  (naming) => {
    text.value = naming
  },
)
const asked = refDebounced(text, 250)
const changed = computed(() => text.value.trim() !== props.naming)
const { data: tried } = useQuery({
  queryKey: ['share', props.id, 'naming', asked],
  queryFn: ({ signal }) => call('shareNamingTry', { params: { id: props.id }, query: { naming: asked.value } }, signal),
  placeholderData: keepPreviousData,
})
const {
  mutate: set,
  isPending,
  error,
} = useMutation({
  mutationFn: () => call('shareNaming', { params: { id: props.id }, body: { naming: text.value } }),
  onSuccess: () => client.invalidateQueries({ queryKey: ['share', props.id] }),
})
</script>

<template>
  <h2>Whose a folder is</h2>
  <form class="naming" @submit.prevent="set()">
    <label class="small quiet" for="naming">Folders are named</label>
    <input id="naming" v-model="text" class="form-control mono" :disabled="!session.isAdministrator" autocomplete="off" spellcheck="false" />
    <p v-if="tried?.sentence" class="ochre small" role="status">{{ tried.sentence }}</p>
    <template v-else-if="tried">
      <p class="small" role="status">
        {{ count(tried.files - tried.nobody) }} of {{ plural(tried.files, 'container') }}
        {{ tried.files - tried.nobody === 1 ? 'is' : 'are' }} somebody’s<template v-if="tried.bySid"
          >, {{ count(tried.bySid) }} of them by a SID in the path</template
        >.
        <template v-if="changed && tried.other">{{ plural(tried.other, 'container') }} would change hands.</template>
      </p>
      <ul v-if="tried.examples.length && (changed ? tried.other : tried.nobody)" class="examples small" aria-label="Examples">
        <li v-for="one in tried.examples.slice(0, changed ? 8 : 4)" :key="one.file">
          <span class="mono">{{ one.file.replaceAll('/', '\\') }}</span>
          <span class="quiet"
            >{{ one.name ?? 'nobody' }}<template v-if="one.name !== one.before">, was {{ one.before ?? 'nobody' }}</template></span
          >
        </li>
      </ul>
    </template>
    <p v-if="error" class="madder small" role="alert">{{ problemWords(error) }}</p>
    <BButton v-if="session.isAdministrator && changed" type="submit" variant="outline-secondary" :disabled="isPending || Boolean(tried?.sentence)"
      >Set</BButton
    >
    <p class="small quiet">
      <span class="mono">%account%</span>, <span class="mono">%sid%</span> and <span class="mono">%any%</span>, folders divided by
      <span class="mono">\</span>.
    </p>
  </form>
</template>

<style scoped>
.naming {
  display: grid;
  gap: 4px;
}
.naming p {
  margin: 2px 0;
}
.examples {
  list-style: none;
  padding: 0;
  margin: 0;
}
.examples li {
  display: grid;
  padding: 3px 0;
  border-top: 1px solid var(--hair);
  overflow-wrap: anywhere;
}
</style>
