<template>
  <div class="view">
    <div class="empty">
      <h1>There is nothing at this address</h1>
      <p class="quiet">It may have been renamed or taken out of the studio.</p>
      <v-btn to="/library">To the library</v-btn>
    </div>
  </div>
</template>
