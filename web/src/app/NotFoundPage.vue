<template>
  <main class="page">
    <h1>There is no such page</h1>
    <p class="soft">
      The address names nothing here. <RouterLink :to="{ name: 'feeds' }">Go to the feeds</RouterLink>
    </p>
  </main>
</template>
