<template>
  <div class="page">
    <h1>There is no such page</h1>
    <p class="my-3">
      The address leads nowhere. <router-link to="/titles">Search the titles</router-link> instead.
    </p>
  </div>
</template>
