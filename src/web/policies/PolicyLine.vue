<script setup lang="ts">
import { computed } from 'vue'
import type { HealthFinding, Policy } from '../../core/policies'
import { day, plural } from '../kit/format'
import { sayCondition, sayThen } from './set'

/** A policy as it is read: for whom, when, and what then. */
const props = defineProps<{
  policy: Policy
  place: number
  reach: number | undefined
  findings: readonly HealthFinding[]
  canEdit: boolean
  canMove: boolean
}>()
const emit = defineEmits<{ move: [by: number]; toggle: []; copy: []; split: []; remove: [] }>()
const said = computed(() => sayCondition(props.policy.when))
const then = computed(() => sayThen(props.policy))
const over = computed(() => props.policy.until !== undefined && Date.parse(props.policy.until) < Date.now())
const asleep = computed(() => props.policy.state !== 'on' || over.value)
const state = computed(() =>
  props.policy.state === 'off'
    ? 'switched off'
    : props.policy.state === 'draft'
      ? 'draft'
      : over.value
        ? `ended ${day(Date.parse(props.policy.until ?? ''))}`
        : props.policy.from && Date.parse(props.policy.from) > Date.now()
          ? `from ${day(Date.parse(props.policy.from))}`
          : props.policy.until
            ? `until ${day(Date.parse(props.policy.until))}`
            : null,
)
function onKey(event: KeyboardEvent): void {
  if (!event.altKey || !props.canMove || (event.key !== 'ArrowUp' && event.key !== 'ArrowDown')) return
  event.preventDefault()
  emit('move', event.key === 'ArrowUp' ? -1 : 1)
}
</script>

<template>
  <li tabindex="0" :class="{ asleep }" :aria-label="`${place}. ${policy.name}`" @keydown="onKey">
    <span class="place"
      ><span v-if="canMove" class="grip" title="Drag to move" aria-hidden="true"><i-lucide-grip-vertical /></span>{{ place }}</span
    >
    <div>
      <RouterLink :to="`/policies/order/${policy.id}`" class="title"
        ><strong>{{ policy.name }}</strong></RouterLink
      >
      <span v-if="state" class="state">&ensp;{{ state }}</span>
      <span v-if="reach !== undefined && reach >= 0" class="quiet small">&ensp;{{ plural(reach, 'person', 'people') }}</span>
      <p>
        For <strong>{{ said.whom }}</strong><template v-if="said.when"
          >, when <span>{{ said.when }}</span></template
        >:
        <template v-for="(one, i) in then" :key="one.title"
          ><template v-if="i">; </template
          ><span class="nowrap-soft" :class="{ quiet: !one.known }"
            >{{ one.title.toLowerCase() }} <strong>{{ one.said }}</strong></span
          ></template
        ><span v-if="then.length === 0" class="quiet">nothing yet</span>.
      </p>
      <p v-for="finding in findings.filter(({ code }) => code !== 'expired')" :key="finding.code + finding.sentence" class="small ochre">
        {{ finding.sentence }}
      </p>
    </div>
    <div v-if="canEdit" class="acts">
      <button
        type="button"
        class="bare"
        :aria-label="`${policy.state === 'on' ? 'Switch off' : 'Switch on'} ${policy.name}`"
        :title="policy.state === 'on' ? 'Switch off' : 'Switch on'"
        @click="emit('toggle')"
      >
        <i-lucide-pause v-if="policy.state === 'on'" /><i-lucide-play v-else />
      </button>
      <button
        v-if="'any' in policy.when && policy.when.any.length > 1"
        type="button"
        class="bare"
        :aria-label="`Split ${policy.name}`"
        title="Split into one for each alternative"
        @click="emit('split')"
      >
        <i-lucide-split />
      </button>
      <button type="button" class="bare" :aria-label="`Copy ${policy.name}`" title="Copy" @click="emit('copy')"><i-lucide-copy /></button>
      <button type="button" class="bare" :aria-label="`Take ${policy.name} out`" title="Take out of the draft" @click="emit('remove')">
        <i-lucide-x />
      </button>
    </div>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 44px minmax(0, 1fr) auto;
  border-top: 1px solid var(--hair);
  padding: 9px 0 8px;
}
li:focus-visible {
  outline: 2px solid var(--indigo);
}
p {
  margin: 2px 0 0;
}
.place {
  color: var(--ink-2);
  font-variant-numeric: tabular-nums;
}
.grip {
  cursor: grab;
  color: var(--stone);
  margin-right: 4px;
}
.acts {
  opacity: 0.25;
  white-space: nowrap;
}
li:hover .acts,
li:focus-within .acts {
  opacity: 1;
}
.asleep > div:nth-child(2) {
  color: var(--ink-2);
}
.asleep strong {
  font-weight: 500;
}
.state {
  color: var(--ochre);
  font-size: 12.5px;
}
</style>
