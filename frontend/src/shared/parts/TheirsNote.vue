<script setup lang="ts">
/** That somebody else changed a thing while it was looked at: how it is now, and the choice between the two. */
defineProps<{ take?: string }>()
const emit = defineEmits<{ mine: []; theirs: [] }>()
</script>

<template>
  <v-alert type="warning" role="alert" class="my-3">
    <slot /> Nothing of yours is written yet.
    <div class="buttons">
      <v-btn size="small" color="primary" @click="emit('mine')">Write mine over it</v-btn>
      <v-btn size="small" variant="outlined" @click="emit('theirs')">{{ take ?? 'Take theirs' }}</v-btn>
    </div>
  </v-alert>
</template>
