<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Story } from '../../contract/logons'
import { duration, percent, plural } from '../kit/format'
import { stretchId } from '../shell/window'
import { isWithoutApproval } from './drawing'
import EvidenceList from './EvidenceList.vue'
import RemedyPanel from './RemedyPanel.vue'

const DAY_MS = 24 * 3_600_000
const props = defineProps<{ story: Story }>()
const why = ref(false)
/** Of several troubles at once, those that are there as well; the others only could be. */
const beside = computed(() => props.story.diagnosis.others.filter((one) => one.beside))
/** Those who are counted as having it, too: at whatever time the logon was. */
const around = computed(() => stretchId(props.story.startedMs - DAY_MS, props.story.startedMs + DAY_MS))
const instead = computed(() => props.story.diagnosis.others.filter((one) => !one.beside))
</script>

<template>
  <template v-if="story.diagnosis.cause">
    <p class="cause">{{ story.diagnosis.cause.sentence }}</p>
    <EvidenceList :clues="story.diagnosis.cause.evidence" :weights="why" />
    <p class="quiet small">
      {{ percent(Math.min(0.995, story.diagnosis.cause.confidence)) }} of the belief goes to this cause.
      <BButton variant="link" class="small" :aria-expanded="why" @click="why = !why">why?</BButton>
    </p>
    <p v-if="why" class="quiet small">
      It began with log odds of {{ story.diagnosis.cause.logOdds.prior }} against “something not in the catalogue”; the evidence brought it to
      {{ story.diagnosis.cause.logOdds.withEvidence }}. The shares of all causes with evidence, and of something else, add up to 100 %{{
        beside.length ? '; what there is besides takes none of them' : ''
      }}. The weights are a judgement, not yet measured on your own cases.
    </p>
  </template>
  <template v-else>
    <p class="cause">
      {{
        story.outcome === 'ready' && story.lostMs === 0
          ? 'Nothing is unusual here.'
          : story.outcome === 'open'
            ? 'It is still going on.'
            : 'No cause in the catalogue fits the evidence well enough.'
      }}
    </p>
    <p v-if="story.excess.length === 0" class="quiet small">
      Each phase was within its usual range{{ story.usual ? '' : '; though too few earlier logons are known to say what is usual' }}.
    </p>
  </template>
  <template v-if="story.excess.length">
    <h2>Beyond the usual</h2>
    <div v-for="one in story.excess" :key="one.phase" class="line">
      <span>{{ one.phase }}</span><span
        ><strong>{{ duration(one.tookMs) }}</strong>
        <span class="quiet">{{ isWithoutApproval(story, one) ? 'without the approval, ' : '' }}usual {{ duration(one.usualMs) }}</span></span
      >
    </div>
  </template>
  <template v-if="beside.length">
    <h2>What there is besides</h2>
    <div v-for="other in beside" :key="other.id" class="line">{{ other.title }}</div>
  </template>
  <template v-if="instead.length">
    <h2>What it could be instead</h2>
    <div v-for="other in instead" :key="other.id" class="line">
      <span>{{ other.title }}</span><span class="quiet">{{ percent(other.confidence) }}</span>
    </div>
  </template>
  <RemedyPanel v-if="story.diagnosis.cause?.remedy" :story="story" :remedy="story.diagnosis.cause.remedy" />
  <template v-if="story.alike && story.alike.attempts > 0">
    <h2>Who else</h2>
    <RouterLink :to="{ path: '/logons', query: { cause: story.cause ?? '', window: around } }">{{
      plural(story.alike.people, 'other person', 'other people')
    }}</RouterLink>
    <span class="quiet">within a day either side, in {{ plural(story.alike.attempts, 'logon') }}.</span>
  </template>
  <template v-if="story.diagnosis.cause"
    ><h2>What to tell the person</h2>
    <p class="quiet">“{{ story.diagnosis.cause.toPerson }}”</p></template
  >
</template>

<style scoped>
.cause {
  font-size: 17px;
  line-height: 1.35;
  font-weight: 500;
  margin: 0 0 10px;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  border-top: 1px solid var(--hair);
  padding: 5px 0;
}
</style>
