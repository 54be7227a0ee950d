<script setup lang="ts">
import { useQuery, keepPreviousData } from '@tanstack/vue-query'
import { refDebounced } from '@vueuse/core'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { FoundThing } from '../../contract/other'
import { call } from './api'

const text = ref('')
const asked = refDebounced(text, 120)
const open = ref(false)
const at = ref(0)
const box = ref<HTMLInputElement | null>(null)
const router = useRouter()
defineExpose({ focus: () => box.value?.focus() })

const { data, isFetching } = useQuery({
  queryKey: ['find', asked],
  queryFn: ({ signal }) => call('find', { query: { text: asked.value } }, signal),
  enabled: computed(() => asked.value.trim().length > 0),
  placeholderData: keepPreviousData,
})
const found = computed(() => (asked.value.trim() ? (data.value?.found ?? []) : []))

const addressOf = (thing: FoundThing) =>
  ({
    person: { path: `/people/${encodeURIComponent(thing.id)}` },
    host: { path: '/logons', query: { host: thing.id } },
    share: { path: `/shares/${encodeURIComponent(thing.id)}` },
    pool: { path: '/logons', query: { pool: thing.id } },
    attempt: { path: `/logons/${encodeURIComponent(thing.id)}` },
  })[thing.kind]

function go(thing: FoundThing | undefined): void {
  if (!thing) return
  open.value = false
  text.value = ''
  box.value?.blur()
  void router.push(addressOf(thing))
}
function key(event: KeyboardEvent): void {
  if (event.key === 'ArrowDown') at.value = Math.min(found.value.length - 1, at.value + 1)
  else if (event.key === 'ArrowUp') at.value = Math.max(0, at.value - 1)
  else if (event.key === 'Enter') go(found.value[at.value])
  else if (event.key === 'Escape') {
    open.value = false
    box.value?.blur()
  } else {
    at.value = 0
    return
  }
  event.preventDefault()
}
let leaving: ReturnType<typeof setTimeout> | undefined
function leave(): void {
  leaving = setTimeout(() => {
    open.value = false
  }, 150)
}
/** Whoever is back at once has not left. */
function enter(): void {
  clearTimeout(leaving)
  open.value = true
}
</script>

<template>
  <div class="find" role="search">
    <input
      ref="box"
      v-model="text"
      type="text"
      role="combobox"
      aria-label="Find"
      aria-controls="found"
      :aria-expanded="open && found.length > 0"
      autocomplete="off"
      placeholder="Find a person, host, share…"
      @focus="enter"
      @blur="leave"
      @keydown="key"
    />
    <kbd aria-hidden="true">/</kbd>
    <ul v-if="open && asked.trim()" id="found" role="listbox">
      <li
        v-for="(thing, index) in found"
        :key="thing.kind + thing.id"
        role="option"
        :aria-selected="index === at"
        :class="{ at: index === at }"
        @mousedown.prevent="go(thing)"
      >
        <span class="kind">{{ thing.kind }}</span><span
          ><span :class="{ plum: thing.kind === 'person', mono: thing.kind === 'host' || thing.kind === 'share' }">{{ thing.title }}</span>
          <span class="quiet small">{{ thing.remark }}</span></span
        >
      </li>
      <li v-if="found.length === 0 && !isFetching" class="quiet">Nothing has “{{ asked }}” in its name.</li>
    </ul>
  </div>
</template>

<style scoped>
.find {
  margin-left: auto;
  position: relative;
  display: flex;
  align-items: center;
  border-bottom: 1px solid var(--hair);
  width: 216px;
}
input {
  border: 0;
  background: transparent;
  color: var(--ink);
  padding: 4px 2px;
  width: 100%;
  font: inherit;
}
input:focus {
  outline: none;
}
.find:focus-within {
  border-bottom-color: var(--indigo);
  box-shadow: 0 1px 0 var(--indigo);
}
input::placeholder {
  color: var(--stone);
}
ul {
  position: absolute;
  top: 36px;
  right: 0;
  width: 400px;
  max-width: 92vw;
  margin: 0;
  padding: 6px 0;
  list-style: none;
  background: var(--paper);
  border: 1px solid var(--hair);
  border-radius: 4px;
  z-index: 30;
}
li {
  display: grid;
  grid-template-columns: 64px 1fr;
  padding: 5px 14px;
  cursor: pointer;
  overflow-wrap: anywhere;
}
li.at {
  background: var(--paper-2);
}
li.quiet {
  display: block;
  cursor: default;
}
.kind {
  color: var(--stone);
  font-size: 12px;
}
@media (max-width: 1100px) {
  .find {
    width: 140px;
  }
}
</style>
