<script setup lang="ts">
import PlaceViews from '../kit/PlaceViews.vue'

const VIEWS = [
  ['/logons', 'One by one'],
  ['/logons/pictures', 'As pictures'],
  ['/logons/compare', 'Compared'],
  ['/logons/sources', 'What events mean'],
] as const
</script>

<template>
  <PlaceViews :views="VIEWS" label="Views of logons" />
</template>
