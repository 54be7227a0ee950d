<script setup lang="ts">
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref } from 'vue'
import type { UploadState } from '../../contract/logons'
import { count, plural, size, when } from '../kit/format'
import { droppedFiles } from '../kit/dropped'
import { addressOf, call, ProblemError, sendFiles } from '../shell/api'
import { useSession } from '../shell/session'
import { stretchId, stretchWords } from '../shell/window'

/** Evidence files: give one, see it read, see what was refused and why. */
const client = useQueryClient()
const session = useSession()
const input = ref<HTMLInputElement | null>(null)
/** Those that are being sent, and what was said of those that could not be. */
const sending = ref<{ name: string; share: number }[]>([])
const faults = ref<string[]>([])
const chosen = ref<string | null>(null)
const { data } = useQuery({ queryKey: ['uploads'], queryFn: () => call('uploads', {}) })
/** What a source sends by itself must not push aside what somebody gave. */
const lists = computed(() => {
  const all = data.value?.uploads ?? []
  const [sent, given] = [all.filter(({ byToken }) => byToken), all.filter(({ byToken }) => !byToken)]
  return [
    { title: 'Evidence files', none: sent.length === 0 ? 'None yet.' : 'Nobody has given any yet.', files: given },
    ...(sent.length > 0 ? [{ title: 'Sent with a token', none: '', files: sent }] : []),
  ]
})
const SHOWN = 6
/** The lists of which all is shown. */
const whole = ref<string[]>([])
const { data: detail } = useQuery({
  queryKey: ['upload', chosen],
  queryFn: () => call('uploadState', { params: { id: chosen.value ?? '' } }),
  enabled: computed(() => chosen.value !== null),
  // An event that comes while the first answer is under way brings no second one: a short file could seem to be read for ever.
  refetchInterval: (query) => (query.state.data?.state === 'reading' ? 1500 : false),
})

/** Files that are given together are read together. */
async function take(files: readonly File[]): Promise<void> {
  const [first] = files
  if (!first) return
  const name = files.length === 1 ? first.name : `${first.name} and ${count(files.length - 1)} more`
  faults.value = faults.value.filter((one) => !one.startsWith(`${name}: `))
  const one = reactive({ name, share: 0 })
  sending.value.push(one)
  try {
    const { id } = await sendFiles(files, (share) => {
      one.share = share
    })
    chosen.value = id
    await client.invalidateQueries({ queryKey: ['uploads'] })
  } catch (error) {
    faults.value.push(`${name}: ${error instanceof ProblemError ? (error.detail ?? error.title) : String(error)}`)
  } finally {
    sending.value = sending.value.filter((other) => other !== one)
  }
}
async function drop(transfer: DataTransfer | null): Promise<void> {
  const files = await droppedFiles(transfer).catch((error: unknown) => {
    faults.value.push(`What was dropped could not be read: ${String(error)}`)
    return []
  })
  await take(files)
}
defineExpose({ drop })

const cancel = (id: string) => call('uploadCancel', { params: { id } })
/** What came of a file: logons of its own, and those of which other evidence had told before. */
const cameOf = ({ attempts, joined }: UploadState) =>
  attempts === 0
    ? `It told more of ${plural(joined, 'logon')}`
    : `${plural(attempts, 'logon')} came of it${joined > 0 ? `, and it told more of ${plural(joined, 'other')}` : ''}`
/** `hosts.xml, line 12` */
const whereIn = ({ file, line }: UploadState['faults'][number]) =>
  [...(file === undefined ? [] : [file]), ...(line === null ? [] : [`line ${line}`])].join(', ') || 'file'
const share = (upload: UploadState) => (upload.bytes === 0 ? 100 : (100 * upload.bytesRead) / upload.bytes)
function picked(event: Event): void {
  void take([...((event.target as HTMLInputElement).files ?? [])])
  if (input.value) input.value.value = ''
}
</script>

<template>
  <h2>Give evidence</h2>
  <template v-if="session.mayHelp">
    <p class="quiet small">
      Drop files or folders onto this page: event logs as XML, observations as NDJSON or CSV, traces as OTLP; also compressed with gzip. What is given
      together is read together: event logs of several machines explain each other. Reading the same file twice changes nothing.
      <RouterLink to="/logons/sources">What events mean</RouterLink>
    </p>
    <BButton variant="outline-secondary" @click="input?.click()">Choose files…</BButton>
    <input ref="input" type="file" multiple class="visually-hidden" aria-label="Evidence file" tabindex="-1" @change="picked" />
  </template>
  <p v-else class="quiet small">Your role may look at evidence, not give any.</p>
  <p v-for="fault in faults" :key="fault" class="madder" role="alert">{{ fault }}</p>
  <div v-for="(one, i) in sending" :key="i" class="one" role="status">
    {{ one.name }}<br /><span class="quiet small">sending, {{ Math.round(one.share * 100) }} %</span><BProgress :value="one.share * 100" />
  </div>

  <section v-if="detail" class="detail" aria-label="The evidence file">
    <strong>{{ detail.name }}</strong>
    <template v-if="detail.state === 'reading'"
      ><p class="quiet small">{{ size(detail.bytesRead) }} of {{ size(detail.bytes) }} read</p>
      <BProgress :value="share(detail)" /><BButton variant="link" @click="cancel(detail.id)">Stop reading</BButton></template
    >
    <template v-else>
      <p role="status">{{ detail.sentence }}</p>
      <p v-if="detail.attempts + detail.joined === 0 && detail.observations > 0" class="quiet small">
        Nothing in it is new: other evidence had told all of it.
      </p>
      <RouterLink v-if="detail.attempts + detail.joined > 0" :to="{ path: '/logons', query: { upload: detail.id } }">{{
        cameOf(detail)
      }}</RouterLink><template v-if="detail.firstMs !== null && detail.lastMs !== null"
        ><span class="quiet small">, {{ stretchWords({ fromMs: detail.firstMs, toMs: detail.lastMs }) }}</span
        ><br />
        <RouterLink :to="{ path: '/', query: { window: stretchId(detail.firstMs, detail.lastMs + 1) } }"
          >What needs a decision in {{ detail.attempts + detail.joined === 1 ? 'it' : 'them' }}</RouterLink
        >
      </template>
      <template v-if="detail.refused > 0">
        <h2>Refused: {{ count(detail.refused) }}</h2>
        <ul>
          <li v-for="(one, index) in detail.faults.slice(0, 8)" :key="index">
            <span class="mono">{{ whereIn(one) }}</span> {{ one.reason }}
          </li>
        </ul>
        <a :href="addressOf('uploadRefused', { params: { id: detail.id } })" download>Download all that were refused</a>
      </template>
    </template>
  </section>

  <section v-for="{ title, none, files } in lists" :key="title" :aria-label="title" class="list">
    <h2>{{ title }}</h2>
    <p v-if="files.length === 0" class="quiet small">{{ none }}</p>
    <button
      v-for="upload in whole.includes(title) ? files : files.slice(0, SHOWN)"
      :key="upload.id"
      type="button"
      class="one"
      @click="chosen = upload.id"
    >
      {{ upload.name }}<br /><span class="quiet small"
        >{{ when(upload.startedMs) }} · {{ upload.author }} ·
        {{
          upload.state === 'reading'
            ? `reading, ${Math.round(share(upload))} %`
            : `${count(upload.observations)} records${upload.refused ? `, ${count(upload.refused)} refused` : ''}`
        }}</span
      >
    </button>
    <BButton v-if="files.length > SHOWN && !whole.includes(title)" variant="link" size="sm" @click="whole.push(title)"
      >Show the other {{ count(files.length - SHOWN) }}</BButton
    >
  </section>
  <h2>Or send it</h2>
  <p class="quiet small">
    OpenTelemetry exporters: OTLP/HTTP, JSON or protobuf, to <code>/v1/traces</code> with a token in the <code>Authorization</code> header.
  </p>
</template>

<style scoped>
.one {
  all: unset;
  display: block;
  box-sizing: border-box;
  width: 100%;
  border-top: 1px solid var(--hair);
  padding: 6px 0;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.one:focus-visible {
  outline: 2px solid var(--indigo);
}
.detail {
  border-top: 2px solid var(--ink);
  margin-top: 14px;
  padding-top: 8px;
}
.detail p {
  margin: 2px 0 4px;
}
.list h2 {
  margin-top: 22px;
}
ul {
  padding: 0;
  list-style: none;
  font-size: 12.5px;
}
li {
  padding: 2px 0;
}
</style>
