<template>
  <div class="work">
    <h1>There is nothing here.</h1>
    <p class="quiet">The address may be old. <RouterLink to="/">Go to Today</RouterLink>, or press <kbd>/</kbd> to find something.</p>
  </div>
</template>
