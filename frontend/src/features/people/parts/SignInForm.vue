<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api, type Schemas } from '@/shared/api/client'
import GatePage from '@/features/people/parts/GatePage.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'

/** Name and password; also over a page on which somebody was typing when their session ended. */
defineProps<{ ended?: boolean }>()
const emit = defineEmits<{ entered: [ticket: Schemas['Ticket']] }>()
const name = ref('')
const password = ref('')
const enter = useMutation({
  mutationFn: () => answer(api.POST('/api/sign-in', { body: { name: name.value, password: password.value } })),
  onSuccess: (ticket) => emit('entered', ticket),
  onError: () => (password.value = ''),
})
</script>

<template>
  <GatePage
    title="Sign in"
    lead="What each driver should practise, when, and why: worked out from the laps your team has driven."
  >
    <p v-if="ended" class="why" role="status">
      Your session has ended. Sign in, and you are back where you were, with what you typed.
    </p>
    <form v-first-focus @submit.prevent="enter.mutate()">
      <v-text-field v-model="name" label="Name" autocomplete="username" hide-details maxlength="120" />
      <v-text-field
        v-model="password"
        label="Password"
        type="password"
        autocomplete="current-password"
        hide-details
        maxlength="128"
      />
      <TroubleNote :error="enter.error.value" />
      <WorkButton
        type="submit"
        color="primary"
        block
        :disabled="!name.trim() || !password"
        :loading="enter.isPending.value"
        >Sign in</WorkButton
      >
    </form>
    <p class="quiet note">
      No account yet, or the password is lost? A manager of your team makes a link that lets you in.
    </p>
  </GatePage>
</template>

<style scoped>
.why {
  margin-bottom: 16px;
}
</style>
