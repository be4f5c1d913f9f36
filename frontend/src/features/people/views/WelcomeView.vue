<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { moment } from '@/shared/format'
import GatePage from '@/features/people/parts/GatePage.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { startAnew, useMe } from '@/shared/session'

const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
// Behind the #, so that it never stands in a log of requests.
const token = computed(() => route.hash.slice(1))
const invitation = useQuery({
  queryKey: ['welcome', token],
  retry: false,
  queryFn: () => answer(api.POST('/api/welcome', { body: { token: token.value } })),
})
const me = useMe()
const name = ref('')
const signInName = ref('')
const password = ref('')
watch(
  () => invitation.data.value,
  (data) => (name.value ||= data?.name ?? ''),
  { immediate: true },
)
const accept = useMutation({
  mutationFn: () =>
    answer(
      api.POST('/api/welcome/accept', {
        body: { token: token.value, name: name.value, sign_in_name: signInName.value, password: password.value },
      }),
    ),
  onSuccess: async (ticket) => {
    await startAnew(queries, ticket)
    await router.replace('/')
  },
})
const join = useMutation({
  mutationFn: () => answer(api.POST('/api/welcome/join', { body: { token: token.value } })),
  onSuccess: async () => {
    await startAnew(queries)
    await router.replace('/')
  },
})
</script>

<template>
  <GatePage
    title="Welcome"
    lead="What each driver should practise, when, and why: worked out from the laps your team has driven."
  >
    <v-progress-linear v-if="invitation.isPending.value" indeterminate aria-label="Looking at the invitation" />
    <TroubleNote :error="invitation.error.value" />
    <p v-if="invitation.error.value"><RouterLink to="/sign-in">Sign in</RouterLink></p>
    <template v-if="invitation.data.value">
      <p class="note">
        You are invited to <b>{{ invitation.data.value.team }}</b> as {{ invitation.data.value.role }}. The link works
        once, until {{ moment(invitation.data.value.expires_at) }}.
      </p>
      <template v-if="me.data.value">
        <p class="note">You are signed in as {{ me.data.value.person }}.</p>
        <TroubleNote :error="join.error.value" />
        <WorkButton color="primary" block :loading="join.isPending.value" @click="join.mutate()"
          >Join as {{ me.data.value.person }}</WorkButton
        >
      </template>
      <form v-else @submit.prevent="accept.mutate()">
        <v-text-field v-model="name" label="Your name" autocomplete="name" maxlength="120" hide-details />
        <v-text-field
          v-model="signInName"
          label="Name to sign in with"
          autocomplete="username"
          maxlength="120"
          hint="Short, without blanks"
          persistent-hint
        />
        <v-text-field
          v-model="password"
          label="Password"
          type="password"
          autocomplete="new-password"
          maxlength="128"
          hint="12 characters or more; a few unrelated words make a good one"
          persistent-hint
        />
        <TroubleNote :error="accept.error.value" />
        <WorkButton
          type="submit"
          color="primary"
          block
          :disabled="!name.trim() || !signInName.trim() || password.length < 12"
          :loading="accept.isPending.value"
          >Come in</WorkButton
        >
        <p class="quiet">
          Do you have an account here already?
          <RouterLink :to="{ name: 'sign-in', query: { to: route.fullPath } }">Sign in</RouterLink>, then open the link
          again.
        </p>
      </form>
    </template>
  </GatePage>
</template>
