<script setup lang="ts">
import { computed, reactive, watch } from 'vue'
import { fieldMs, fieldOf, timeZone } from '../kit/format'
import { LONGEST_DAYS, readStretch, stretchId } from './window'

/** Asks for a stretch of time to look at, such as that of evidence of last month. */
const props = defineProps<{ fromMs: number; toMs: number }>()
const emit = defineEmits<{ chosen: [id: string] }>()
const shown = defineModel<boolean>({ required: true })
const fields = reactive({ from: '', to: '' })
watch(shown, (now) => {
  if (now) Object.assign(fields, { from: fieldOf(props.fromMs), to: fieldOf(props.toMs) })
})
const wanted = computed(() => {
  const [from, to] = [fieldMs(fields.from), fieldMs(fields.to)]
  if (from === null || to === null) return { fault: 'Give both moments.', id: '' }
  if (to <= from) return { fault: 'The end must be after the beginning.', id: '' }
  const id = stretchId(from, to)
  return readStretch(id)?.fromMs === from ? { fault: '', id } : { fault: `At most ${LONGEST_DAYS} days are looked at together.`, id: '' }
})
function look(): void {
  if (wanted.value.fault) return
  emit('chosen', wanted.value.id)
  shown.value = false
}
</script>

<template>
  <BModal
    v-model="shown"
    title="Another time"
    ok-title="Look"
    cancel-variant="outline-secondary"
    :ok-disabled="wanted.fault !== ''"
    @ok.prevent="look"
  >
    <form class="pair" @submit.prevent="look">
      <label>From <BFormInput v-model="fields.from" type="datetime-local" required /></label>
      <label>To <BFormInput v-model="fields.to" type="datetime-local" required /></label>
      <!-- Enter in a field sends a form that has a button to send it. -->
      <button type="submit" class="visually-hidden" tabindex="-1">Look</button>
    </form>
    <p :class="wanted.fault ? 'madder' : 'quiet'" class="small" role="status">{{ wanted.fault || `Times are those of ${timeZone}.` }}</p>
  </BModal>
</template>

<style scoped>
.pair {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
}
.pair label {
  flex: 1 1 200px;
}
</style>
