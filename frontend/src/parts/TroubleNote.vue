<script setup lang="ts">
defineProps<{ error: Error | null | undefined; again?: () => void }>()
</script>

<template>
  <v-alert v-if="error" type="error" class="my-3" role="alert">
    {{ error.message }}
    <template v-if="again" #append>
      <v-btn variant="outlined" size="small" @click="again()">Try again</v-btn>
    </template>
  </v-alert>
</template>
