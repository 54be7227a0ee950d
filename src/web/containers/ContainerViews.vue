<script setup lang="ts">
import PlaceViews from '../kit/PlaceViews.vue'

const VIEWS = [
  ['/containers', 'Each one'],
  ['/room', 'Room on the shares'],
  ['/loss', 'If a share is lost'],
  ['/inside', 'What is in them'],
  ['/set-aside', 'Set aside'],
] as const
</script>

<template>
  <PlaceViews :views="VIEWS" label="Views of containers" />
</template>
