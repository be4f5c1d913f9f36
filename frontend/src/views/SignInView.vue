<script setup lang="ts">
import { useMutation, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/api/client'
import GatePage from '@/parts/GatePage.vue'
import TroubleNote from '@/parts/TroubleNote.vue'
import WorkButton from '@/parts/WorkButton.vue'
import { startAnew } from '@/session'

const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
const name = ref('')
const password = ref('')
const enter = useMutation({
  mutationFn: () => answer(api.POST('/api/sign-in', { body: { name: name.value, password: password.value } })),
  onSuccess: async (ticket) => {
    await startAnew(queries, ticket)
    const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/'
    await router.replace(to)
  },
  onError: () => (password.value = ''),
})
</script>

<template>
  <GatePage title="Sign in" lead="What each driver should practise, when, and why: worked out from the laps your team has driven.">
    <p v-if="route.query.why === 'ended'" class="why mb-4" role="status">Your session has ended. Sign in, and you are back where you were, with what you typed.</p>
    <form @submit.prevent="enter.mutate()">
      <v-text-field v-model="name" label="Name" autocomplete="username" autofocus hide-details maxlength="120" />
      <v-text-field v-model="password" label="Password" type="password" autocomplete="current-password" hide-details maxlength="128" />
      <TroubleNote :error="enter.error.value" />
      <WorkButton type="submit" color="primary" block :disabled="!name.trim() || !password" :loading="enter.isPending.value">Sign in</WorkButton>
    </form>
    <p class="quiet note">No account yet, or the password is lost? A manager of your team makes a link that lets you in.</p>
  </GatePage>
</template>
