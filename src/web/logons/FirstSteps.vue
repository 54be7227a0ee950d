<script setup lang="ts">
import { useSession } from '../shell/session'

/** What to do on a server that knows of no logon yet. */
const session = useSession()
</script>

<template>
  <div class="steps">
    <p class="quiet">No logon is known yet. These bring the first ones:</p>
    <ol>
      <li>
        Tell the organisation, so that refusals, groups and places can be explained:
        <RouterLink to="/people">give its directory as a file</RouterLink>, or have it sent to <code>PUT /api/directory</code>.
      </li>
      <li>
        <RouterLink to="/logons">Give an evidence file</RouterLink>: event logs as the operating system exports them (XML), observations as NDJSON or
        CSV, traces as OTLP. Evidence of last month is looked at with <em>another time…</em>, at the top.
      </li>
      <li>
        Have it sent: any OpenTelemetry exporter to <code>/v1/traces</code>, with a token.
        <RouterLink v-if="session.isAdministrator" to="/access">Make a token</RouterLink>
        <span v-else>An administrator makes one.</span>
      </li>
    </ol>
  </div>
</template>

<style scoped>
.steps {
  max-width: 640px;
  padding: 18px 0;
}
li {
  padding: 5px 0;
}
</style>
