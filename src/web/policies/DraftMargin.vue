<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed } from 'vue'
import type { PoliciesPage, SetLook } from '../../contract/policies'
import { plural, when } from '../kit/format'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'
import ChangeGroups from './ChangeGroups.vue'
import { usePolicies } from './set'

/** The draft beside what is in force: what it would change, and the ways on. */
const props = defineProps<{ page: PoliciesPage; look: SetLook | undefined }>()
const session = useSession()
const { taken, refetch } = usePolicies()
const outdated = computed(() => props.page.draft !== null && props.page.draft.basedOn !== props.page.version)
const broken = computed(() => props.look?.promises.filter(({ state, waived }) => state === 'broken' && !waived) ?? [])
const rebase = useMutation({ mutationFn: () => call('policyDraftRebase', {}), onSuccess: ({ page }) => taken(page) })
const discard = useMutation({ mutationFn: () => call('policyDraftEnd', {}), onSuccess: () => refetch() })
</script>

<template>
  <aside class="margin" aria-label="What would change">
    <template v-if="page.draft">
      <h2>What would change</h2>
      <p class="quiet small">
        Draft of {{ page.draft.author }}, {{ when(page.draft.updatedMs) }}<template v-if="page.draft.review">, for review</template>.
      </p>
      <template v-if="outdated">
        <p class="ochre">Version {{ page.version }} was published since this draft began.</p>
        <BButton variant="outline-secondary" class="go" :disabled="rebase.isPending.value" @click="rebase.mutate()">Bring it up to date</BButton>
        <p v-if="rebase.data.value?.conflicts.length" class="ochre small" role="status">
          Changed on both sides, the draft’s was kept: {{ rebase.data.value.conflicts.join(', ') }}.
        </p>
      </template>
      <template v-if="session.isAdministrator">
        <RouterLink class="btn btn-primary go" to="/policies/publish">Review and publish…</RouterLink>
        <BButton variant="outline-secondary" class="go" :disabled="discard.isPending.value" @click="discard.mutate()">Throw the draft away</BButton>
        <p v-if="discard.error.value" class="madder" role="alert">{{ problemWords(discard.error.value) }}</p>
      </template>
      <p v-if="!look" class="quiet">Working it out …</p>
      <template v-else>
        <p v-if="!look.changes.decided" class="ochre">Too many situations to look at all of them: nothing is concluded.</p>
        <p v-else-if="look.changes.groups.length === 0" class="quiet">Nothing, for anybody.</p>
        <p v-else>
          <strong>{{ plural(look.changes.people, 'person', 'people') }}</strong> would get something else.
        </p>
        <ChangeGroups :groups="look.changes.groups.slice(0, 8)" />
        <RouterLink v-if="look.changes.groups.length > 8" to="/policies/publish">all {{ look.changes.groups.length }} differences</RouterLink>
        <p v-if="broken.length" class="madder" role="status">
          Broken: {{ broken.map(({ name }) => name).join(', ') }}. <RouterLink to="/policies/promises">Why</RouterLink>
        </p>
      </template>
    </template>
    <template v-else>
      <h2>How it stands</h2>
      <p v-if="page.rollout && (page.rollout.state === 'going' || page.rollout.state === 'paused')" class="ochre">
        Version {{ page.rollout.version }} is on its way: {{ page.rollout.reached }} of {{ page.rollout.waves.length }} waves have it.
        <RouterLink to="/policies/publish">See</RouterLink>
      </p>
      <template v-if="look">
        <p v-for="promise in look.promises" :key="promise.promise">
          <span :class="promise.state === 'kept' ? 'moss' : promise.state === 'broken' ? (promise.waived ? 'ochre' : 'madder') : 'quiet'">{{
            promise.state === 'broken' && promise.waived ? 'broken, waived' : promise.state
          }}</span>
          {{ promise.name }}
        </p>
        <p v-if="look.simpler.length">
          {{ plural(look.simpler.length, 'way') }} to say the same with less. <RouterLink to="/policies/promises">See</RouterLink>
        </p>
      </template>
      <p class="quiet small">Any change here begins a draft; nothing reaches a host before it is published.</p>
    </template>
  </aside>
</template>
