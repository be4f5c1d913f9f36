<script setup lang="ts">
import { useQueryClient } from '@tanstack/vue-query'
import { useRoute, useRouter } from 'vue-router'
import type { Schemas } from '@/shared/api/client'
import SignInForm from '@/features/people/parts/SignInForm.vue'
import { startAnew } from '@/shared/session'

const queries = useQueryClient()
const route = useRoute()
const router = useRouter()
async function entered(ticket: Schemas['Ticket']) {
  await startAnew(queries, ticket)
  const to = typeof route.query.to === 'string' && /^\/(?!\/)/.test(route.query.to) ? route.query.to : '/'
  await router.replace(to)
}
</script>

<template>
  <SignInForm :ended="route.query.why === 'ended'" @entered="entered" />
</template>
