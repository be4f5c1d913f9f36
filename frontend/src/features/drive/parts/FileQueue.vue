<script setup lang="ts">
import type { Queued } from '@/features/drive/sending'
import { count } from '@/shared/format'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Files that came together, or in one zip. */
defineProps<{ queue: Queued[]; file: string; busy: boolean; trouble: Error | null }>()
const emit = defineEmits<{ take: []; away: [] }>()
</script>

<template>
  <section class="sheet block" aria-labelledby="queue-title">
    <h2 id="queue-title">{{ count(queue.length, 'file') }} to go in</h2>
    <ul class="plain">
      <li v-for="item in queue" :key="item.id ?? item.name">
        <span
          >{{ item.name }} <span v-if="item.done" class="quiet">{{ item.done }}</span><span
            v-else-if="item.trouble"
            class="rust"
            >{{ item.trouble }}</span
          ></span
        >
        <v-btn
          v-if="item.id && !item.done"
          size="small"
          :variant="item.id === file ? 'flat' : 'outlined'"
          :to="{ query: { file: item.id } }"
          >Look<span class="visually-hidden"> at {{ item.name }}</span></v-btn
        >
      </li>
    </ul>
    <div class="buttons">
      <WorkButton
        color="primary"
        :disabled="!queue.some((item) => item.id && !item.done)"
        :loading="busy"
        @click="emit('take')"
        >Import all that need no decision</WorkButton
      >
      <v-btn variant="outlined" @click="emit('away')">Put the list away</v-btn>
    </div>
    <TroubleNote :error="trouble" />
  </section>
</template>

<style scoped src="@/features/drive/laps-in.css"></style>
