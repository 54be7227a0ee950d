<script setup lang="ts">
/** The views of one place, and which of them is shown. */
defineProps<{ views: readonly (readonly [path: string, title: string])[]; label: string }>()
</script>

<template>
  <nav class="views small" :aria-label="label">
    <RouterLink v-for="[path, title] in views" :key="path" :to="path" :class="{ on: $route.path === path || $route.meta['view'] === path }">{{
      title
    }}</RouterLink>
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
