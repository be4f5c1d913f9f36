<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import { count, moment } from '@/shared/format'
import { useMe } from '@/shared/session'

/** Tells a person that somebody tries passwords for their name, until they have seen it. */
const SEEN = 'fleet-rival:wrong-passwords-seen'
const MANY = 5
const me = useMe()
const route = useRoute()
const seen = ref(localStorage.getItem(SEEN) ?? '')
const told = computed(() => {
  const wrong = me.data.value?.wrong_passwords
  // The account's own page tells it anyway.
  const elsewhere = route.name !== 'account'
  return elsewhere && wrong && wrong.count >= MANY && wrong.last_at > seen.value ? wrong : undefined
})
function put() {
  seen.value = told.value?.last_at ?? ''
  localStorage.setItem(SEEN, seen.value)
}
</script>

<template>
  <v-alert v-if="told" type="warning" class="my-3 guess" role="status">
    {{ count(told.count, 'wrong password') }} {{ told.count === 1 ? 'was' : 'were' }} tried for your name in the last
    two weeks, the last on {{ moment(told.last_at) }}. If that wasn’t you, nobody came in; a long password of your own
    keeps it so.
    <template #append
      ><v-btn size="small" variant="outlined" to="/account">Your account</v-btn>
      <v-btn size="small" color="primary" @click="put">Seen</v-btn></template
    >
  </v-alert>
</template>

<style scoped>
@media (max-width: 600px) {
  .guess {
    grid-template: 'prepend content' 'append append' / auto 1fr;
  }
  .guess :deep(.v-alert__append) {
    margin: 8px 0 0;
  }
}
</style>
