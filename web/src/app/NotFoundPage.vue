<template>
  <main class="page">
    <h1>There is no such page</h1>
    <p class="soft">
      There is nothing at this address. <RouterLink :to="{ name: 'feeds' }">Go to the feeds</RouterLink>
    </p>
  </main>
</template>
