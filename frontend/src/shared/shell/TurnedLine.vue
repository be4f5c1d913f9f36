<script setup lang="ts">
import { computed } from 'vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { turned, useTurning } from '@/shared/turning'

const { turn, step } = useTurning()
const shown = computed({ get: () => !!turned.text, set: (open) => !open && (turned.text = '') })
</script>

<template>
  <v-snackbar
    v-model="shown"
    :timeout="turned.bad ? -1 : 8000"
    location="bottom start"
    :color="turned.bad ? 'error' : undefined"
    multi-line
  >
    <span :role="turned.bad ? 'alert' : undefined">{{ turned.text }}</span>
    <template #actions>
      <WorkButton
        v-if="turned.again"
        size="small"
        variant="outlined"
        :loading="turn.isPending.value"
        @click="turned.again && step(turned.again)"
        >{{ turned.again === 'redo' ? 'Do it again' : 'Take it back' }}</WorkButton
      >
      <v-btn size="small" variant="outlined" @click="turned.text = ''">Close</v-btn>
    </template>
  </v-snackbar>
</template>
