<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { mirrorDay, type MirrorEvent } from '../../core/containers'
import { duration, plural, size } from '../kit/format'
import { drawMirror } from './mirror'

/** One container at several locations over a day that can be made up: what is lost when, what is written where, and what is replayed. */
const props = defineProps<{ locations: readonly string[]; required: number; onFailure: 'refuse' | 'temporary' }>()
const MIB = 2 ** 20
const need = ref(props.required)
watch(
  () => props.required,
  (n) => {
    need.value = n
  },
)
const [a = '', b = '', c = ''] = props.locations
/** Stories to begin with; each can be changed. */
const STORIES: { title: string; events: MirrorEvent[] }[] = [
  { title: 'one is lost for two hours', events: [at(0, 'logon'), write(20, 40), lost(60, a), write(90, 60), back(180, a), at(480, 'logoff')] },
  {
    title: 'two are lost',
    events: [
      at(0, 'logon'),
      write(20, 40),
      lost(60, a),
      lost(90, b || a),
      write(120, 30),
      at(150, 'logoff'),
      at(200, 'logon'),
      back(260, a),
      back(280, b || a),
      at(300, 'logon'),
      at(480, 'logoff'),
    ],
  },
  {
    title: 'two are lost, one after the other',
    events: [
      lost(10, a),
      at(30, 'logon'),
      write(60, 64),
      at(120, 'logoff'),
      lost(150, b || a),
      ...(c ? [lost(155, c)] : []),
      back(170, a),
      at(200, 'logon'),
      write(230, 12),
      at(300, 'logoff'),
      back(360, b || a),
      ...(c ? [back(365, c)] : []),
    ],
  },
]
function at(atMin: number, kind: 'logon' | 'logoff'): MirrorEvent {
  return { atMin, kind }
}
function write(atMin: number, mib: number): MirrorEvent {
  return { atMin, kind: 'write', bytes: mib * MIB }
}
function lost(atMin: number, location: string): MirrorEvent {
  return { atMin, kind: 'lost', location }
}
function back(atMin: number, location: string): MirrorEvent {
  return { atMin, kind: 'back', location }
}
const events = ref<MirrorEvent[]>(STORIES[0]?.events ?? [])
const story = ref(0)
watch(story, (n) => {
  events.value = STORIES[n]?.events ?? []
})
const day = computed(() => mirrorDay({ locations: props.locations, required: need.value, onFailure: props.onFailure }, events.value))
const box = ref<HTMLElement | null>(null)
const { width } = useElementSize(box)
const drawn = computed(() => drawMirror(day.value, props.locations, Math.max(300, width.value)))
const adding = ref({ kind: 'lost' as MirrorEvent['kind'], atMin: 120, location: a, mib: 50 })
function add(): void {
  const { kind, atMin, location, mib } = adding.value
  const event =
    kind === 'write' ? write(atMin, mib) : kind === 'lost' ? lost(atMin, location) : kind === 'back' ? back(atMin, location) : at(atMin, kind)
  events.value = [...events.value, event].sort((x, y) => x.atMin - y.atMin)
}
const KINDS = { lost: 'a location is lost', back: 'a location is back', logon: 'logs on', write: 'writes', logoff: 'logs off' } as const
const WEIGHTS = { plain: '', unusual: 'ochre', bad: 'madder' } as const
</script>

<template>
  <h2>One container at {{ plural(locations.length, 'location') }} at once, over a day</h2>
  <p v-if="locations.length < 2" class="quiet">
    The policy names one location only; mirroring needs at least two. Name more on <RouterLink to="/policies/base">the base policy</RouterLink>.
  </p>
  <template v-else>
    <div class="toolbar">
      <select v-model="story" class="form-select" aria-label="Story">
        <option v-for="(one, i) in STORIES" :key="one.title" :value="i">{{ one.title }}</option>
      </select>
      <label
        >must be writable
        <input
          v-model.number="need"
          type="number"
          class="form-control num"
          min="1"
          :max="locations.length"
          aria-label="Must be writable in this story"
        />
        of {{ locations.length }}</label
      >
    </div>
    <ul class="verdict" aria-label="Verdict">
      <li v-for="one in day.verdict" :key="one" :class="{ madder: day.lostBytes > 0 && /older|lost/.test(one) }">{{ one }}</li>
    </ul>
    <div ref="box">
      <svg :width="drawn.width" :height="drawn.height" role="img" aria-label="Locations over the day">
        <g v-for="(mark, i) in drawn.marks" :key="`m${i}`">
          <line :x1="mark.x" :x2="mark.x" y1="6" :y2="drawn.sessionY + 8" stroke="var(--hair)" />
          <text :x="mark.x" :y="drawn.height - 4" font-size="11" fill="var(--stone)" text-anchor="middle">{{ mark.n }}</text>
        </g>
        <g v-for="row in drawn.rows" :key="row.name">
          <text x="0" :y="row.y - 7" font-size="11.5" fill="var(--ink-2)" class="halo">{{ row.name }}</text>
          <line
            v-for="(piece, i) in row.pieces"
            :key="i"
            :x1="piece.from"
            :x2="piece.to"
            :y1="row.y"
            :y2="row.y"
            :stroke="piece.state === 'behind' ? 'var(--ochre)' : piece.state === 'lost' ? 'var(--madder)' : 'var(--ink)'"
            :stroke-width="piece.state === 'lost' ? 1.2 : 5"
            :stroke-dasharray="piece.state === 'lost' ? '2 5' : undefined"
          >
            <title>{{ piece.words }}</title>
          </line>
        </g>
        <text x="0" :y="drawn.sessionY - 7" font-size="11.5" fill="var(--plum)" class="halo">the session</text>
        <line
          v-for="(piece, i) in drawn.sessions"
          :key="`s${i}`"
          :x1="piece.from"
          :x2="piece.to"
          :y1="drawn.sessionY"
          :y2="drawn.sessionY"
          :stroke="piece.own ? 'var(--plum)' : 'var(--madder)'"
          stroke-width="5"
          :stroke-dasharray="piece.own ? undefined : '6 3'"
        >
          <title>{{ piece.words }}</title>
        </line>
      </svg>
    </div>
    <p class="small quiet">Thick: has everything. Ochre: lacks something. Red dots: cannot be reached. Plum: the session with the newest profile.</p>
    <ol class="steps" aria-label="The day step by step">
      <li v-for="(step, i) in day.steps" :key="i">
        <span class="quiet small when">{{ step.atMin === 0 ? 'at once' : duration(step.atMin * 60_000) }}</span>
        <span :class="WEIGHTS[step.weight]">{{ step.sentence }}</span><span v-if="step.journalBytes > 0" class="quiet small ms-2">
          {{ size(step.journalBytes) }} wait in the journal.</span
        >
      </li>
    </ol>
    <details>
      <summary>Make up another day</summary>
      <div class="toolbar">
        <select v-model="adding.kind" class="form-select" aria-label="What happens">
          <option v-for="(title, kind) in KINDS" :key="kind" :value="kind">{{ title }}</option>
        </select>
        <label
          >after
          <input v-model.number="adding.atMin" type="number" class="form-control num" min="0" max="1440" aria-label="After minutes" /> min</label
        >
        <select v-if="adding.kind === 'lost' || adding.kind === 'back'" v-model="adding.location" class="form-select" aria-label="Which location">
          <option v-for="one in locations" :key="one">{{ one }}</option>
        </select>
        <label v-if="adding.kind === 'write'"
          ><input v-model.number="adding.mib" type="number" class="form-control num" min="1" aria-label="Mebibytes written" /> MiB</label
        >
        <BButton variant="outline-secondary" @click="add">Add</BButton>
        <BButton variant="link" @click="events = []">begin with nothing</BButton>
      </div>
      <ul class="small">
        <li v-for="(event, i) in events" :key="i">
          {{ event.atMin }} min: {{ KINDS[event.kind] }}
          <span class="mono">{{ 'location' in event ? event.location : 'bytes' in event ? size(event.bytes) : '' }}</span>
          <button type="button" class="bare" aria-label="Take this away" @click="events = events.filter((_, j) => j !== i)">×</button>
        </li>
      </ul>
    </details>
  </template>
</template>

<style scoped>
.verdict {
  font-size: 16px;
  padding-left: 18px;
  max-width: 72ch;
}
.steps {
  padding-left: 24px;
}
.when {
  display: inline-block;
  min-width: 74px;
}
</style>
