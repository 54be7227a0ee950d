<script setup lang="ts">
import { useTimeout } from '@vueuse/core'
import { ProblemError } from '../shell/api'

/** What stands in the place of a page while it loads, or when that failed. @property what is fetched, where it takes long */
const props = defineProps<{ loading: boolean; error: unknown; what?: string }>()
defineEmits<{ retry: [] }>()
const patient = useTimeout(300)
const sentence = () =>
  props.error instanceof ProblemError ? (props.error.detail ?? props.error.title) : 'The server does not answer. What you see elsewhere may be old.'
</script>

<template>
  <div v-if="error" class="state" role="alert">
    <p><strong>This could not be shown.</strong> {{ sentence() }}</p>
    <BButton variant="outline-secondary" @click="$emit('retry')">Try again</BButton>
  </div>
  <div v-else-if="loading && patient" class="state quiet" role="status">{{ what ? `Fetching ${what}…` : 'Fetching…' }}</div>
</template>

<style scoped>
.state {
  padding: 32px 24px;
  max-width: 60ch;
}
</style>
