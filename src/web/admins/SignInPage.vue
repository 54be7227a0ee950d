<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { call, ProblemError } from '../shell/api'
import IkebanaMark from '../shell/IkebanaMark.vue'
import { useSession } from '../shell/session'

const name = ref('')
const password = ref('')
const fault = ref('')
const busy = ref(false)
const router = useRouter()
const route = useRoute()
const session = useSession()
const { data: offer } = useQuery({ queryKey: ['offer'], queryFn: () => call('signInOffer', {}) })

async function signIn(): Promise<void> {
  busy.value = true
  fault.value = ''
  try {
    session.take(await call('signIn', { body: { name: name.value, password: password.value } }))
    const then = String(route.query['then'] ?? '/')
    await router.push(then.startsWith('/') && !then.startsWith('//') ? then : '/')
  } catch (error) {
    fault.value = error instanceof ProblemError ? error.title : 'The server does not answer.'
  } finally {
    busy.value = false
  }
}
async function signInAs(account: { name: string; password: string }): Promise<void> {
  name.value = account.name
  password.value = account.password
  await signIn()
}
</script>

<template>
  <main class="sign-in">
    <div class="head"><IkebanaMark /><span>Ikebana</span></div>
    <h1>{{ offer ? offer.organisation || 'Sign in' : '…' }}</h1>
    <p v-if="offer?.first" class="ochre" role="status">
      There is no account yet. The server printed an address at its start, where the first one is made: whoever can read its output opens it.
    </p>
    <form v-else @submit.prevent="signIn">
      <label>Name<BFormInput v-model="name" autocomplete="username" required /></label>
      <label>Password<BFormInput v-model="password" type="password" autocomplete="current-password" required /></label>
      <p v-if="fault" class="madder" role="alert">{{ fault }}</p>
      <BButton type="submit" variant="primary" :disabled="busy">Sign in</BButton>
    </form>
    <section v-if="offer?.demoAccounts.length" aria-label="Demo accounts">
      <h2>This is a demo. Sign in as</h2>
      <ul>
        <li v-for="account in offer.demoAccounts" :key="account.name">
          <BButton variant="link" :disabled="busy" @click="signInAs(account)">{{ account.fullName }}</BButton>
          <span class="quiet">{{ account.role.replace('-', ' ') }}</span>
        </li>
      </ul>
    </section>
  </main>
</template>

<style scoped src="./sign-in.css"></style>
