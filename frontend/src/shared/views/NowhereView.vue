<template>
  <h1>Nothing here</h1>
  <p class="note">This address leads nowhere in Fleet Rival. It may have been cut short, or what it named is gone.</p>
  <v-btn color="primary" to="/">Go to the week</v-btn>
</template>
