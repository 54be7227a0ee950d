<script setup lang="ts">
import PlaceViews from '../kit/PlaceViews.vue'

const VIEWS = [
  ['/journal', 'What was written'],
  ['/journal/changes', 'Changes'],
] as const
</script>

<template>
  <PlaceViews :views="VIEWS" label="Views of the journal" />
</template>
