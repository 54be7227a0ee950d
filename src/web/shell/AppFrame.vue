<script setup lang="ts">
import { onKeyStroke, useToggle } from '@vueuse/core'
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { useBench } from './bench'
import { useDarkPages } from './dark'
import FindBox from './FindBox.vue'
import IkebanaMark from './IkebanaMark.vue'
import { useLive } from './live'
import { PLACES } from './router'
import { useSession } from './session'
import OtherTime from './OtherTime.vue'
import { stretchWords, useWindow, WINDOWS } from './window'

const session = useSession()
const router = useRouter()
const { connected } = useLive()
const { chosen, stretch, fromMs, toMs, choose } = useWindow()
const otherTime = ref(false)
function chooseWindow(event: Event): void {
  const select = event.target as HTMLSelectElement
  if (select.value !== 'other') return void choose(select.value)
  // Until one is given, the window is what it was.
  select.value = chosen.value.id
  otherTime.value = true
}
const bench = useBench()
const dark = useDarkPages()
const toggleDark = useToggle(dark)
const find = ref<InstanceType<typeof FindBox> | null>(null)
const keysShown = ref(false)
let going = false

const typing = (event: KeyboardEvent) => event.target instanceof HTMLElement && /^(INPUT|TEXTAREA|SELECT)$/.test(event.target.tagName)
onKeyStroke((event) => {
  if (typing(event) || event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === '/') {
    event.preventDefault()
    find.value?.focus()
  } else if (event.key === '?') keysShown.value = true
  else if (event.key === 'b' && !going && bench.inView.value) bench.put(bench.inView.value)
  else if (event.key === 'g') {
    going = true
    return
  } else if (going) {
    const place = PLACES.find(({ key }) => key === event.key)
    if (place) void router.push(place.path)
  }
  going = false
})

async function signOut(): Promise<void> {
  await session.signOut()
  await router.push('/sign-in')
}
</script>

<template>
  <header>
    <RouterLink to="/" class="name"><IkebanaMark /><span>Ikebana</span></RouterLink>
    <nav aria-label="Places">
      <RouterLink
        v-for="place in PLACES"
        :key="place.path"
        :to="place.path"
        :class="{ on: place.path === '/' ? $route.path === '/' : $route.path.startsWith(place.path) || $route.meta['place'] === place.path }"
        >{{ place.title }}</RouterLink
      >
    </nav>
    <FindBox ref="find" />
    <label class="window"
      ><span class="visually-hidden">Time window</span>
      <select :value="chosen.id" :title="stretch ? stretchWords(stretch) : undefined" @change="chooseWindow">
        <option v-for="one in WINDOWS" :key="one.id" :value="one.id">{{ one.title }}</option>
        <option v-if="stretch" :value="chosen.id">{{ stretchWords(stretch) }}</option>
        <option value="other">another time…</option>
      </select>
    </label>
    <RouterLink v-if="bench.items.value.length" class="bench small" :to="bench.address.value" title="What lies side by side"
      >bench {{ bench.items.value.length }}</RouterLink
    >
    <span v-if="!connected" class="ochre small" role="status">not live</span>
    <button type="button" class="bare" :aria-label="dark ? 'Light' : 'Dark'" :title="dark ? 'Light' : 'Dark'" @click="toggleDark()">
      <i-lucide-sun v-if="dark" /><i-lucide-moon v-else />
    </button>
    <details class="who">
      <summary>{{ session.me?.fullName }}</summary>
      <div>
        <p class="quiet small">{{ session.me?.role.replace('-', ' ') }}{{ session.me?.organisation ? ` at ${session.me.organisation}` : '' }}</p>
        <RouterLink v-if="session.isAdministrator" to="/access">Accounts and tokens</RouterLink>
        <RouterLink v-else to="/access">Password</RouterLink><br /><BButton variant="link" @click="keysShown = true">Keys</BButton><br /><BButton
          variant="link"
          @click="signOut"
          >Sign out</BButton
        >
      </div>
    </details>
  </header>
  <main><slot /></main>
  <OtherTime v-model="otherTime" :from-ms="fromMs" :to-ms="toMs" @chosen="choose" />
  <BModal v-model="keysShown" title="Keys" ok-only ok-title="Close" ok-variant="outline-secondary">
    <table class="plain">
      <tbody>
        <tr>
          <td><kbd>/</kbd></td>
          <td>find a person, host, share, pool or attempt</td>
        </tr>
        <tr v-for="place in PLACES" :key="place.key">
          <td>
            <kbd>g</kbd> <kbd>{{ place.key }}</kbd>
          </td>
          <td>go to {{ place.title }}</td>
        </tr>
        <tr>
          <td><kbd>b</kbd></td>
          <td>put what is in view on the bench, to lay it beside another</td>
        </tr>
        <tr>
          <td><kbd>Enter</kbd></td>
          <td>open the line that has the focus</td>
        </tr>
        <tr>
          <td><kbd>?</kbd></td>
          <td>these keys</td>
        </tr>
      </tbody>
    </table>
  </BModal>
</template>

<style scoped>
header {
  display: flex;
  align-items: center;
  gap: 20px;
  min-height: 46px;
  padding: 0 24px;
  border-bottom: 1px solid var(--hair);
  flex-wrap: wrap;
}
.name {
  display: flex;
  align-items: center;
  gap: 8px;
  font-weight: 650;
  color: var(--ink);
}
.name:hover {
  text-decoration: none;
}
nav {
  display: flex;
  gap: 18px;
}
nav a {
  color: var(--ink-2);
  padding: 12px 0;
  border-bottom: 2px solid transparent;
}
nav a.on {
  color: var(--ink);
  border-bottom-color: var(--ink);
}
nav a:hover {
  text-decoration: none;
  color: var(--ink);
}
.window select {
  max-width: 300px;
  border: 0;
  background: transparent;
  color: var(--ink);
  font: inherit;
}
.window option {
  background: var(--paper);
}
.who {
  position: relative;
}
.who summary {
  list-style: none;
  cursor: pointer;
}
.who div {
  position: absolute;
  right: 0;
  top: 28px;
  min-width: 190px;
  padding: 10px 14px;
  background: var(--paper);
  border: 1px solid var(--hair);
  border-radius: 4px;
  z-index: 20;
}
.who p {
  margin: 0 0 6px;
}
@media (max-width: 1200px) {
  .window select {
    max-width: 190px;
  }
}
@media (max-width: 820px) {
  header {
    gap: 10px 14px;
    padding: 6px 16px;
  }
  nav {
    order: 5;
    gap: 0 14px;
    flex-wrap: wrap;
    width: 100%;
  }
  nav a {
    padding: 6px 0;
  }
}
</style>
