<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { call, problemWords } from '../shell/api'

/** What one person may do on a share, place by place, and by which entry. */
const props = defineProps<{ id: string }>()
const text = ref('')
const asked = refDebounced(text, 200)
const chosen = ref<string | null>(null)
const { data: people } = useQuery({
  queryKey: ['people-for-access', asked],
  queryFn: ({ signal }) => call('people', { query: { text: asked.value } }, signal),
  enabled: computed(() => asked.value.length > 1 && chosen.value === null),
})
const { data: access, error } = useQuery({
  queryKey: ['share-access', computed(() => props.id), chosen],
  queryFn: ({ signal }) => call('shareAccess', { params: { id: props.id }, query: { person: chosen.value ?? '' } }, signal),
  enabled: computed(() => chosen.value !== null),
})
function pick(id: string, name: string): void {
  chosen.value = id
  text.value = name
}
</script>

<template>
  <h2>What may somebody do here?</h2>
  <BFormInput v-model="text" aria-label="Part of a person’s name" placeholder="Part of a person’s name" @update:model-value="chosen = null" />
  <ul v-if="people && chosen === null && asked.length > 1" class="people">
    <li v-for="one in people.people.slice(0, 6)" :key="one.id">
      <BButton variant="link" @click="pick(one.id, one.name)">{{ one.name }}</BButton> <span class="quiet small">{{ one.groups.join(', ') }}</span>
    </li>
    <li v-if="people.people.length === 0" class="quiet">Nobody is called so.</li>
  </ul>
  <p v-if="error" class="madder" role="alert">{{ problemWords(error) }}</p>
  <template v-if="access && chosen">
    <p v-if="!access.person.sid" class="quiet">The directory gives no security identifier for them; only what everybody may do is counted.</p>
    <div v-for="place in access.places" :key="place.what" class="place">
      <div class="quiet small">In {{ place.what }}</div>
      <strong :class="{ madder: place.what.startsWith('somebody') && place.words !== 'nothing' }">{{ place.words }}</strong>
      <span class="mono quiet">{{ place.mask }}</span>
      <details
        v-for="[title, layer] in [
          ['the share', place.share],
          ['the folder', place.folder],
        ] as const"
        :key="title"
      >
        <summary class="small">why: {{ title }} allows {{ layer.words }}</summary>
        <ol>
          <li v-for="reason in layer.reasons" :key="`${reason.ace} ${reason.sid}`" class="small">
            {{ reason.ace === 0 ? 'Always' : `Entry ${reason.ace}` }}, {{ reason.who }}: {{ reason.sentence }}
            <span class="mono quiet">{{ reason.effect }}</span>
          </li>
          <li v-if="layer.reasons.length === 0" class="small quiet">No entry is about them.</li>
        </ol>
      </details>
    </div>
  </template>
  <p v-else-if="asked.length < 2" class="quiet small">
    Choose a person: both layers are checked as the server does, entry by entry, with all groups they are in.
  </p>
</template>

<style scoped>
.people,
ol {
  list-style: none;
  padding: 0;
  margin: 6px 0;
}
.place {
  border-top: 1px solid var(--hair);
  padding: 8px 0;
}
</style>
