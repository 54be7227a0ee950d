<template>
  <svg width="20" height="22" viewBox="0 0 20 22" fill="none" stroke="currentColor" stroke-width="1.8" stroke-linecap="round" aria-hidden="true">
    <path d="M9 21C9 13 11 7 15 1" />
    <path d="M9 21C8.500 15 6 11 2 8" />
    <path d="M9 21c1-3 4-5 9-5.500" />
  </svg>
</template>
