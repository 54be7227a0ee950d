<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import AppFrame from './shell/AppFrame.vue'
import { useDarkPages } from './shell/dark'
import { useSession } from './shell/session'

useDarkPages()
const session = useSession()
const route = useRoute()
const framed = computed(() => session.me !== null && !route.meta['open'])
</script>

<template>
  <BApp>
    <AppFrame v-if="framed"><RouterView :key="route.path" /></AppFrame>
    <RouterView v-else />
  </BApp>
</template>
