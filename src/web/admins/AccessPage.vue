<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import { SHORTEST_PASSWORD, TOKEN_SCOPES } from '../../contract/access'
import type { Input, Output } from '../../contract/routes'
import DataTable, { type Column } from '../kit/DataTable.vue'
import { exact, isoOf, plural, when } from '../kit/format'
import PageState from '../kit/PageState.vue'
import { call, problemWords } from '../shell/api'
import { useSession } from '../shell/session'

/** Who may use Ikebana, and which programs. Whoever is no administrator finds their own password here. */
const session = useSession()
const client = useQueryClient()
type Account = Output<'accounts'>['accounts'][number]
type Token = Output<'tokens'>['tokens'][number]
const mine = computed(() => session.isAdministrator)
const accounts = useQuery({ queryKey: ['accounts'], queryFn: () => call('accounts', {}), enabled: mine })
const tokens = useQuery({ queryKey: ['tokens'], queryFn: () => call('tokens', {}), enabled: mine, refetchInterval: 60_000 })
const fresh = () => Promise.all([client.invalidateQueries({ queryKey: ['accounts'] }), client.invalidateQueries({ queryKey: ['tokens'] })])

const ROLES = [
  { value: 'viewer', text: 'viewer: sees everything' },
  { value: 'help-desk', text: 'help desk: and helps single persons' },
  { value: 'administrator', text: 'administrator: and changes policies, shares, hosts, accounts' },
]
const SAYS: Record<(typeof TOKEN_SCOPES)[number], string> = {
  evidence: 'evidence: send logons (files, OpenTelemetry), tell changes',
  agent: 'agent: report of a host, fetch its settings',
  directory: 'directory: people, groups, pools, hosts',
}
const accountColumns: Column<Account>[] = [
  { key: 'name', title: 'Account', sort: (r) => r.name },
  { key: 'role', title: 'Role', sort: (r) => r.role },
  { key: 'seen', title: 'Signed in', sort: (r) => r.seenMs, csv: (r) => isoOf(r.seenMs) },
  { key: 'sessions', title: 'Open now', number: true, sort: (r) => r.sessions },
  { key: 'act', title: '' },
]
const tokenColumns: Column<Token>[] = [
  { key: 'name', title: 'Token', sort: (r) => r.name },
  { key: 'scopes', title: 'For', sort: (r) => r.scopes.join(' ') },
  { key: 'made', title: 'Made', sort: (r) => r.madeMs, csv: (r) => isoOf(r.madeMs) },
  { key: 'used', title: 'Used', sort: (r) => r.usedMs, csv: (r) => isoOf(r.usedMs) },
  { key: 'act', title: '' },
]

const account = reactive({ name: '', fullName: '', role: 'viewer' as Account['role'], password: '' })
const making = useMutation({
  mutationFn: () => call('accountMake', { body: { ...account, name: account.name.trim().toLowerCase() } }),
  onSuccess: () => {
    Object.assign(account, { name: '', fullName: '', role: 'viewer', password: '' })
    return fresh()
  },
})
/** The account that is being changed. */
const chosen = ref<Account | null>(null)
const change = reactive({ fullName: '', role: 'viewer' as Account['role'], password: '' })
function choose(line: Account): void {
  chosen.value = line
  Object.assign(change, { fullName: line.fullName, role: line.role, password: '' })
  changing.reset()
}
const changing = useMutation({
  mutationFn: (id: string) => {
    const body: Input<'accountChange'>['body'] = { fullName: change.fullName, role: change.role }
    return call('accountChange', { params: { id }, body: change.password === '' ? body : { ...body, password: change.password } })
  },
  onSuccess: () => {
    chosen.value = null
    return fresh()
  },
})
const token = reactive({ name: '', scopes: ['evidence'] as (typeof TOKEN_SCOPES)[number][] })
const tokenMaking = useMutation({
  mutationFn: () => call('tokenMake', { body: { name: token.name, scopes: token.scopes } }),
  onSuccess: () => {
    token.name = ''
    return fresh()
  },
})
/** What is asked about before it is forgotten. */
const going = ref<{ kind: 'account' | 'token'; id: string; says: string } | null>(null)
const forgetting = useMutation({
  mutationFn: async ({ kind, id }: { kind: 'account' | 'token'; id: string }) => {
    await call(kind === 'account' ? 'accountForget' : 'tokenForget', { params: { id } })
  },
  onSettled: fresh,
})
function forget(): void {
  if (going.value) forgetting.mutate(going.value)
  going.value = null
}
const own = reactive({ now: '', next: '' })
const ownChanging = useMutation({
  mutationFn: () => call('ownPassword', { body: { ...own } }),
  onSuccess: () => Object.assign(own, { now: '', next: '' }),
})
</script>

<template>
  <div class="page">
    <section class="work">
      <h1>{{ mine ? 'Accounts and tokens' : 'Your password' }}</h1>
      <div class="sub">
        {{ mine ? 'Who may use Ikebana, and which programs may send to it.' : 'Accounts are made by an administrator.' }} What anybody changes is in
        the <RouterLink to="/journal">journal</RouterLink>.
      </div>
      <template v-if="mine">
        <h2>Accounts</h2>
        <PageState v-if="!accounts.data.value" :loading="accounts.isPending.value" :error="accounts.error.value" @retry="accounts.refetch()" />
        <DataTable
          v-else
          :columns="accountColumns"
          :rows="accounts.data.value.accounts"
          :row-key="(r) => r.name"
          label="Accounts"
          csv="accounts"
          empty="No account."
        >
          <template #name="{ row }">
            {{ row.fullName }} <span class="quiet mono small">{{ row.name }}</span>
          </template>
          <template #role="{ row }">{{ row.role.replace('-', ' ') }}</template>
          <template #seen="{ row }"
            ><span v-if="row.seenMs" :title="exact(row.seenMs)">{{ when(row.seenMs) }}</span
            ><span v-else class="quiet">never</span></template
          >
          <template #sessions="{ row }">{{ row.sessions || '' }}</template>
          <template #act="{ row }">
            <BButton variant="link" class="small" @click="choose(row)">Change</BButton>
            <BButton
              v-if="row.name !== session.me?.name"
              variant="link"
              class="small"
              @click="
                going = {
                  kind: 'account',
                  id: row.name,
                  says: `${row.fullName} cannot sign in any more${row.sessions ? `, and ${plural(row.sessions, 'open session')} of theirs end${row.sessions === 1 ? 's' : ''}` : ''}. What they did stays in the journal.`,
                }
              "
              >Forget</BButton
            >
          </template>
        </DataTable>
        <p v-if="forgetting.error.value" class="madder" role="alert">{{ problemWords(forgetting.error.value) }}</p>
        <form v-if="chosen" class="row-form" aria-label="Change an account" @submit.prevent="changing.mutate(chosen.name)">
          <strong>{{ chosen.name }}</strong>
          <label>Full name<BFormInput v-model="change.fullName" required /></label>
          <label>Role<BFormSelect v-model="change.role" :options="ROLES" /></label>
          <label
            >New password<BFormInput
              v-model="change.password"
              type="password"
              autocomplete="new-password"
              :minlength="SHORTEST_PASSWORD"
              placeholder="stays as it is"
          /></label>
          <BButton type="submit" variant="primary" :disabled="changing.isPending.value">Save</BButton>
          <BButton variant="link" @click="chosen = null">Leave it</BButton>
          <p v-if="changing.error.value" class="madder" role="alert">{{ problemWords(changing.error.value) }}</p>
          <p v-else class="quiet small">A new role or password ends the sessions that are open.</p>
        </form>
        <h2>Tokens</h2>
        <p v-if="tokenMaking.data.value" class="made" role="status">
          Token “{{ tokenMaking.data.value.name }}”, shown this once: <code>{{ tokenMaking.data.value.token }}</code><br /><span class="quiet small"
            >Whoever presents it does so as <code>Authorization: Bearer …</code></span
          >
        </p>
        <PageState v-if="!tokens.data.value" :loading="tokens.isPending.value" :error="tokens.error.value" @retry="tokens.refetch()" />
        <DataTable
          v-else
          :columns="tokenColumns"
          :rows="tokens.data.value.tokens"
          :row-key="(r) => r.id"
          label="Tokens"
          csv="tokens"
          empty="No token. Agents and exporters need one to send anything."
        >
          <template #name="{ row }">
            {{ row.name }} <span class="quiet mono small">{{ row.id }}</span>
          </template>
          <template #scopes="{ row }">{{ row.scopes.join(', ') }}</template>
          <template #made="{ row }">
            <span v-if="row.madeMs" :title="exact(row.madeMs)">{{ when(row.madeMs) }}, {{ row.madeBy }}</span
            ><span v-else class="quiet">with the demo</span>
          </template>
          <template #used="{ row }"
            ><span v-if="row.usedMs" :title="exact(row.usedMs)">{{ when(row.usedMs) }}</span
            ><span v-else class="quiet">never</span></template
          >
          <template #act="{ row }">
            <BButton
              variant="link"
              class="small"
              @click="
                going = {
                  kind: 'token',
                  id: row.id,
                  says: `Whatever presents “${row.name}” is refused from now on${row.usedMs ? `; it was last used ${when(row.usedMs)}` : '; it was never used'}.`,
                }
              "
              >Forget</BButton
            >
          </template>
        </DataTable>
      </template>
    </section>
    <aside class="margin" aria-label="Make and change">
      <form v-if="mine" aria-label="New account" @submit.prevent="making.mutate()">
        <h2>New account</h2>
        <label>Name to sign in with<BFormInput v-model="account.name" autocomplete="off" required /></label>
        <label>Full name<BFormInput v-model="account.fullName" autocomplete="off" required /></label>
        <label>Role<BFormSelect v-model="account.role" :options="ROLES" /></label>
        <label
          >Password, at least {{ SHORTEST_PASSWORD }} characters<BFormInput
            v-model="account.password"
            type="password"
            autocomplete="new-password"
            :minlength="SHORTEST_PASSWORD"
            required
        /></label>
        <BButton type="submit" variant="primary" :disabled="making.isPending.value">Make account</BButton>
        <p v-if="making.error.value" class="madder" role="alert">{{ problemWords(making.error.value) }}</p>
      </form>
      <form v-if="mine" aria-label="New token" @submit.prevent="tokenMaking.mutate()">
        <h2>New token</h2>
        <label>What it is for<BFormInput v-model="token.name" placeholder="agents of the Copenhagen hosts" required /></label>
        <BFormCheckbox v-for="scope in TOKEN_SCOPES" :key="scope" v-model="token.scopes" :value="scope">{{ SAYS[scope] }}</BFormCheckbox>
        <BButton type="submit" variant="outline-secondary" :disabled="tokenMaking.isPending.value || token.scopes.length === 0">Make token</BButton>
        <p v-if="tokenMaking.error.value" class="madder" role="alert">{{ problemWords(tokenMaking.error.value) }}</p>
      </form>
      <form aria-label="Your own password" @submit.prevent="ownChanging.mutate()">
        <h2>Your own password</h2>
        <label>Now<BFormInput v-model="own.now" type="password" autocomplete="current-password" required /></label>
        <label
          >New, at least {{ SHORTEST_PASSWORD }} characters<BFormInput
            v-model="own.next"
            type="password"
            autocomplete="new-password"
            :minlength="SHORTEST_PASSWORD"
            required
        /></label>
        <BButton type="submit" variant="outline-secondary" :disabled="ownChanging.isPending.value">Change it</BButton>
        <p v-if="ownChanging.error.value" class="madder" role="alert">{{ problemWords(ownChanging.error.value) }}</p>
        <p v-else-if="ownChanging.isSuccess.value" class="moss" role="status">Changed. Your other sessions were ended.</p>
      </form>
    </aside>
    <BModal
      :model-value="going !== null"
      :title="going?.kind === 'account' ? 'Forget this account?' : 'Forget this token?'"
      ok-title="Forget"
      ok-variant="danger"
      cancel-title="Keep"
      @ok="forget"
      @hidden="going = null"
    >
      {{ going?.says }}
    </BModal>
  </div>
</template>

<style scoped>
form label {
  display: grid;
  gap: 3px;
  margin-bottom: 10px;
}
.margin form {
  margin-bottom: 24px;
}
.row-form {
  display: flex;
  gap: 12px;
  align-items: end;
  flex-wrap: wrap;
  border-top: 1px solid var(--hair);
  padding: 10px 0;
}
.row-form label {
  margin: 0;
}
.row-form p {
  flex-basis: 100%;
  margin: 0;
}
.made code {
  overflow-wrap: anywhere;
}
</style>
