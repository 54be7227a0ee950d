<script setup lang="ts">
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { SHORTEST_PASSWORD } from '../../contract/access'
import { call, problemWords } from '../shell/api'
import IkebanaMark from '../shell/IkebanaMark.vue'
import { useSession } from '../shell/session'

/** The first administrator of a server that has no account yet. */
const route = useRoute()
const router = useRouter()
const session = useSession()
const code = ref(String(route.query['code'] ?? ''))
const name = ref('')
const fullName = ref('')
const password = ref('')
const fault = ref<string | null>(null)
const busy = ref(false)
async function make(): Promise<void> {
  busy.value = true
  fault.value = null
  try {
    session.take(
      await call('firstAccount', {
        body: { code: code.value, name: name.value.trim().toLowerCase(), fullName: fullName.value, password: password.value },
      }),
    )
    await router.push('/')
  } catch (error) {
    fault.value = problemWords(error)
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <main class="sign-in">
    <div class="head"><IkebanaMark /><span>Ikebana</span></div>
    <h1>The first account</h1>
    <p class="quiet">It is an administrator. Further accounts, and tokens for programs, are made with it.</p>
    <form @submit.prevent="make">
      <label>Code, as the server printed it<BFormInput v-model="code" autocomplete="off" required /></label>
      <label>Name to sign in with<BFormInput v-model="name" autocomplete="username" required /></label>
      <label>Full name<BFormInput v-model="fullName" autocomplete="name" required /></label>
      <label
        >Password, at least {{ SHORTEST_PASSWORD }} characters<BFormInput
          v-model="password"
          type="password"
          autocomplete="new-password"
          :minlength="SHORTEST_PASSWORD"
          required
      /></label>
      <p v-if="fault" class="madder" role="alert">{{ fault }}</p>
      <BButton type="submit" variant="primary" :disabled="busy">Make it and sign in</BButton>
    </form>
  </main>
</template>

<style scoped src="./sign-in.css"></style>
