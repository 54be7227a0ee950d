import { defineStore } from 'pinia'
import { ref } from 'vue'
import type { Settings } from '../../contract/other'

/** Settings that another page proposes for the policy. They wait here until the policy is edited; nothing is published by it. */
export const useDraft = defineStore('draft', () => {
  const proposed = ref<{ readonly settings: Partial<Settings>; readonly from: string } | null>(null)
  return {
    proposed,
    propose(settings: Partial<Settings>, from: string) {
      proposed.value = { settings, from }
    },
    /** Takes the proposal; it is gone afterwards. */
    take() {
      const taken = proposed.value
      proposed.value = null
      return taken
    },
  }
})
