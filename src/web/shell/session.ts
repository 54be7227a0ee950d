import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { Me } from '../../contract/other'
import { timeZone } from '../kit/format'
import { call, ProblemError, setCsrf } from './api'

/** Who is signed in, and what they may do. */
export const useSession = defineStore('session', () => {
  const me = ref<Me | null>(null)
  const asked = ref(false)

  function take(signedIn: Me | null): void {
    me.value = signedIn
    asked.value = true
    if (!signedIn) return
    setCsrf(signedIn.csrf)
    timeZone.value = signedIn.timeZone
  }

  async function ask(): Promise<Me | null> {
    if (!asked.value)
      take(
        await call('me', {}).catch((error: unknown) => {
          if (error instanceof ProblemError && error.status === 401) return null
          throw error
        }),
      )
    return me.value
  }

  async function signOut(): Promise<void> {
    await call('signOut', {})
    take(null)
  }

  const isAdministrator = computed(() => me.value?.role === 'administrator')
  const mayHelp = computed(() => me.value?.role === 'administrator' || me.value?.role === 'help-desk')
  return { me, ask, take, signOut, isAdministrator, mayHelp }
})
