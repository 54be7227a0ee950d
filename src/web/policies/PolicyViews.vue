<script setup lang="ts">
import PlaceViews from '../kit/PlaceViews.vue'

const VIEWS = [
  ['/policies', 'The order'],
  ['/policies/base', 'The base policy'],
  ['/policies/try', 'Try it'],
  ['/policies/promises', 'Promises and health'],
  ['/policies/limits', 'Time limits'],
  ['/policies/lines', 'Lines'],
  ['/policies/proof', 'In force'],
  ['/policies/publish', 'Publish and versions'],
] as const
</script>

<template>
  <PlaceViews :views="VIEWS" label="Views of policies" />
</template>
