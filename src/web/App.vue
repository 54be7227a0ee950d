<script setup lang="ts">
import { computed } from 'vue'
import { useRoute } from 'vue-router'
import AppFrame from './shell/AppFrame.vue'
import { useSession } from './shell/session'

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
