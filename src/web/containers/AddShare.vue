<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** Adding a share that no fleet tells of. */
const session = useSession()
const client = useQueryClient()
const router = useRouter()
const open = ref(false)
const path = ref('')
const mount = ref('')
const zone = ref('')
const { mutate, error, isPending } = useMutation({
  mutationFn: () => call('shareAdd', { body: { path: path.value, mount: mount.value, zone: zone.value || null } }),
  onSuccess: async ({ id }) => {
    await client.invalidateQueries({ queryKey: ['room'] })
    await router.push(`/shares/${encodeURIComponent(id)}`)
  },
})
</script>

<template>
  <h2>A share that is missing here</h2>
  <BButton v-if="!open" variant="link" :disabled="!session.isAdministrator" @click="open = true">Add a share by its path…</BButton>
  <form v-else @submit.prevent="mutate()">
    <label class="small">Its path <BFormInput v-model="path" class="mono" placeholder="\\server\share\folder" required /></label>
    <label class="small"
      >Where it is mounted on the machine that runs Ikebana <BFormInput v-model="mount" class="mono" placeholder="/mnt/profiles" required
    /></label>
    <label class="small">Its zone, if it has one <BFormInput v-model="zone" /></label>
    <p v-if="error" class="madder small" role="alert">{{ problemWords(error) }}</p>
    <BButton type="submit" variant="primary" :disabled="isPending">Add it</BButton> <BButton variant="link" @click="open = false">no</BButton>
  </form>
</template>

<style scoped>
label {
  display: block;
  margin: 4px 0;
}
</style>
