<script setup lang="ts">
import { useDebounceFn } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { completions, readText, writeText, type Condition } from '../../core/policies'

/** A condition typed, with what could stand next. The same as the one that was clicked. */
const props = defineProps<{ modelValue: Condition; known: Readonly<Record<string, readonly string[]>> }>()
const emit = defineEmits<{ 'update:modelValue': [condition: Condition] }>()
const text = ref(writeText(props.modelValue))
const field = ref<HTMLTextAreaElement | null>(null)
const open = ref(false)
const chosen = ref(0)
const reading = computed(() => readText(text.value))
/** What was typed last counts as it was typed; what was clicked is written anew. */
watch(
  () => writeText(props.modelValue),
  (written) => {
    const now = reading.value
    if (!now.ok || writeText(now.condition) !== written) text.value = written
  },
)
/** Not every letter is a change worth keeping. */
const tell = useDebounceFn((condition: Condition) => emit('update:modelValue', condition), 250)
function typed(): void {
  open.value = true
  chosen.value = 0
  const now = reading.value
  if (now.ok) tell(now.condition)
}
const caret = ref(0)
const offered = computed(() => (open.value ? completions(text.value.slice(0, caret.value), props.known) : { from: 0, words: [] }))
const track = () => {
  caret.value = field.value?.selectionStart ?? text.value.length
}
function take(word: string): void {
  const { from } = offered.value
  const head = text.value.slice(0, from) + word + ' '
  text.value = head + text.value.slice(caret.value).trimStart()
  void nextTick(() => {
    field.value?.focus()
    field.value?.setSelectionRange(head.length, head.length)
    caret.value = head.length
    typed()
  })
}
function onKey(event: KeyboardEvent): void {
  const { words } = offered.value
  if (words.length === 0) return
  if (event.key === 'ArrowDown' || event.key === 'ArrowUp') {
    event.preventDefault()
    chosen.value = (chosen.value + (event.key === 'ArrowDown' ? 1 : words.length - 1)) % words.length
  } else if (event.key === 'Tab' || event.key === 'Enter') {
    event.preventDefault()
    take(words[chosen.value] ?? '')
  } else if (event.key === 'Escape') open.value = false
}
</script>

<template>
  <div class="typed">
    <textarea
      ref="field"
      v-model="text"
      class="form-control mono"
      rows="2"
      spellcheck="false"
      aria-label="The condition as text"
      :aria-invalid="!reading.ok"
      @input="(track(), typed())"
      @keydown="onKey"
      @keyup="track"
      @click="track"
      @focus="((open = true), track())"
      @blur="open = false"
    />
    <ul v-if="open && offered.words.length" role="listbox" aria-label="What could stand here">
      <li
        v-for="(word, i) in offered.words.slice(0, 9)"
        :key="word"
        role="option"
        :aria-selected="i === chosen"
        :class="{ on: i === chosen }"
        @mousedown.prevent="take(word)"
      >
        {{ word }}
      </li>
    </ul>
    <p v-if="!reading.ok" class="madder small" role="alert">
      {{ reading.sentence }} <span class="quiet">(after “{{ text.slice(Math.max(0, reading.at - 24), reading.at) }}”)</span>
    </p>
  </div>
</template>

<style scoped>
.typed {
  position: relative;
}
ul {
  position: absolute;
  z-index: 5;
  list-style: none;
  margin: 2px 0 0;
  padding: 4px 0;
  background: var(--paper);
  border: 1px solid var(--hair);
  min-width: 220px;
}
li {
  padding: 2px 12px;
  cursor: pointer;
}
li.on,
li:hover {
  background: var(--ghost);
}
</style>
