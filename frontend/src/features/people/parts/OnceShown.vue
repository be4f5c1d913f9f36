<script setup lang="ts">
import { ref } from 'vue'

const props = defineProps<{ title: string; text: string; what: string }>()
const copied = ref(false)
async function copy() {
  await navigator.clipboard.writeText(props.text)
  copied.value = true
}
</script>

<template>
  <v-alert type="info" role="status" class="my-2">
    <b>{{ title }}</b>
    <p class="token">
      <code>{{ text }}</code>
    </p>
    <p>{{ what }}</p>
    <template #append
      ><v-btn size="small" variant="outlined" @click="copy">{{ copied ? 'Copied' : 'Copy' }}</v-btn></template
    >
  </v-alert>
</template>

<style scoped>
.token {
  overflow-wrap: anywhere;
  margin: 4px 0;
}
</style>
