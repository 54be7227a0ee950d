<script setup lang="ts">
/** The views of containers, and where one is. */
const VIEWS = [
  ['/containers', 'Each one'],
  ['/room', 'Room on the shares'],
  ['/loss', 'If a share is lost'],
  ['/inside', 'What is in them'],
  ['/set-aside', 'Set aside'],
] as const
</script>

<template>
  <nav class="views small" aria-label="Views of containers">
    <RouterLink v-for="[path, title] in VIEWS" :key="path" :to="path" :class="{ on: $route.path === path }">{{ title }}</RouterLink>
  </nav>
</template>

<style scoped>
.views {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  margin: 2px 0 14px;
}
.on {
  color: var(--ink);
  font-weight: 600;
  box-shadow: 0 2px 0 var(--ink);
}
</style>
