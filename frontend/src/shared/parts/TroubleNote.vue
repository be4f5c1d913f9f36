<script setup lang="ts">
import { computed } from 'vue'
import { Trouble } from '@/shared/api/client'

const props = defineProps<{ error: Error | null | undefined; again?: () => void }>()
/** For whoever looks into the server's log; what somebody did wrong themselves needs none. */
const requestId = computed(() =>
  props.error instanceof Trouble && props.error.status >= 500 ? props.error.requestId : undefined,
)
/** Who reads this has signed in again meanwhile: what was to be shown is being asked anew, what was to be changed is theirs to send. */
const told = computed(() => {
  if (!(props.error instanceof Trouble) || !props.error.kind.endsWith(':sign-in')) return props.error?.message
  return props.error.ofRead ? '' : 'Your session had ended, and nothing was changed. Send it once more.'
})
</script>

<template>
  <v-alert v-if="told" type="error" class="my-3" role="alert">
    {{ told }}
    <span v-if="requestId"> It is noted in the log as {{ requestId }}.</span>
    <template v-if="again" #append>
      <v-btn variant="outlined" size="small" @click="again()">Try again</v-btn>
    </template>
  </v-alert>
</template>
