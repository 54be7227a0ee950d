<script setup lang="ts">
import { useMutation, useQuery } from '@tanstack/vue-query'
import { count, exact, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** When the shares were last looked at, how far a reading is, and a button to look now. */
defineProps<{ scannedMs: number | null }>()
const session = useSession()
const { data } = useQuery({ queryKey: ['scan'], queryFn: ({ signal }) => call('scan', {}, signal) })
const { mutate: look, error } = useMutation({ mutationFn: () => call('scanNow', {}) })
</script>

<template>
  <div class="sub" role="status">
    <template v-if="data?.progress"
      >Reading <span class="mono">{{ data.progress.share }}</span>: {{ count(data.progress.read) }} of {{ count(data.progress.of) }} changed files.
      <progress :value="data.progress.read" :max="data.progress.of" aria-label="Files read" /></template
    ><template v-else
      >Read from the files themselves: their headers and block tables<template v-if="scannedMs"
        >, last looked at <span :title="exact(scannedMs)">{{ when(scannedMs) }}</span></template
      >. <BButton v-if="session.isAdministrator" variant="link" class="look" @click="look()">Look now</BButton></template
    >
    <span v-if="data?.remark" class="ochre"> {{ data.remark }}</span>
    <span v-if="error" class="madder" role="alert"> {{ problemWords(error) }}</span>
  </div>
</template>

<style scoped>
.look {
  padding: 0;
  font-size: inherit;
  vertical-align: baseline;
}
progress {
  width: 120px;
  height: 6px;
  accent-color: var(--ink);
}
</style>
