<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { answer, api, showToken, type Preferences } from '@/shared/api/client'
import { count, moment } from '@/shared/format'
import CalendarPart from '@/features/people/parts/CalendarPart.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { preferences, takePreferences } from '@/shared/preferences'
import { startAnew, useMe } from '@/shared/session'
import { QUANTITIES, unitsOf, type Quantity } from '@/shared/units'

const queries = useQueryClient()
const router = useRouter()
const me = useMe()
const saved = ref('')
const prefer = useMutation({
  // One after the other: what was chosen last is what is kept.
  scope: { id: 'preferences' },
  mutationFn: (body: Preferences) => answer(api.PUT('/api/me/preferences', { body: body as Required<Preferences> })),
  onSuccess: (kept) => {
    takePreferences(kept)
    saved.value = 'Kept.'
  },
})
const choices: { key: 'theme' | 'density'; title: string; first: string; items: [string, string][] }[] = [
  {
    key: 'theme',
    title: 'Light',
    first: 'system',
    items: [
      ['system', 'As the device'],
      ['paper', 'Daylight'],
      ['lamplight', 'Lamplight'],
    ],
  },
  {
    key: 'density',
    title: 'Rows',
    first: 'dense',
    items: [
      ['dense', 'Close together'],
      ['roomy', 'With room'],
    ],
  },
]
/** Units that are written out where they are chosen. */
const SPELLED: Record<string, string> = { 'km/h': 'km/h and km', mph: 'mph and miles', l: 'litres', gal: 'gallons' }
const measures = Object.keys(QUANTITIES) as Quantity[]
/** What is shown and every sentence of the server says quantities in the unit that was chosen. */
async function measure(key: Quantity, value: string | null) {
  await prefer.mutateAsync({ [key]: value } as Preferences)
  await queries.invalidateQueries()
}
const here = Intl.DateTimeFormat().resolvedOptions().timeZone
const zones = computed(() => [
  ...new Set([
    here,
    'UTC',
    ...(Intl as unknown as { supportedValuesOf: (key: string) => string[] }).supportedValuesOf('timeZone'),
  ]),
])

const old = ref('')
const fresh = ref('')
const change = useMutation({
  mutationFn: () => answer(api.POST('/api/me/password', { body: { old: old.value, new: fresh.value } })),
  onSuccess: async (ticket) => {
    showToken(ticket.csrf_token)
    old.value = fresh.value = ''
    await queries.invalidateQueries({ queryKey: ['browsers'] })
  },
})
const browsers = useQuery({ queryKey: ['browsers'], queryFn: () => answer(api.GET('/api/me/browsers')) })
const endOne = useMutation({
  mutationFn: (id: string) =>
    answer(api.DELETE('/api/me/browsers/{browser_id}', { params: { path: { browser_id: id } } })),
  onSettled: () => queries.invalidateQueries({ queryKey: ['browsers'] }),
})
const endAll = useMutation({
  mutationFn: () => answer(api.POST('/api/sign-out-everywhere')),
  onSuccess: async () => {
    await router.push({ name: 'sign-in' })
    await startAnew(queries, 'nobody')
  },
})
</script>

<template>
  <h1>Your account</h1>
  <p v-if="me.data.value" class="quiet note">
    {{ me.data.value.person }} · signs in as {{ me.data.value.sign_in_name }} · {{ me.data.value.role }} in
    {{ me.data.value.team }}
  </p>
  <div class="columns">
    <section class="sheet part" aria-labelledby="look-title">
      <h2 id="look-title">Look, units and time</h2>
      <p class="quiet note">Kept at once, for you alone, in every browser.</p>
      <fieldset v-for="choice in choices" :key="choice.key">
        <legend>{{ choice.title }}</legend>
        <label v-for="[value, title] in choice.items" :key="value">
          <input
            type="radio"
            :name="choice.key"
            :value="value"
            :checked="(preferences[choice.key] ?? choice.first) === value"
            @change="prefer.mutate({ [choice.key]: value })"
          />
          {{ title }}
        </label>
      </fieldset>
      <fieldset v-for="key in measures" :key="key">
        <legend>{{ key === 'speed' ? 'Speed and length' : QUANTITIES[key] }}</legend>
        <label>
          <input type="radio" :name="key" :value="null" :checked="!preferences[key]" @change="measure(key, null)" /> The
          team’s<span v-if="me.data.value" class="quiet"> ({{ me.data.value.team_units[key] }})</span>
        </label>
        <label v-for="item in unitsOf(key)" :key="item">
          <input
            type="radio"
            :name="key"
            :value="item"
            :checked="preferences[key] === item"
            @change="measure(key, item)"
          />
          {{ SPELLED[item] ?? item }}
        </label>
      </fieldset>
      <v-autocomplete
        class="mt-3"
        label="Time zone"
        :items="zones"
        :model-value="preferences.zone ?? null"
        :placeholder="`As the device has it: ${here}`"
        persistent-placeholder
        clearable
        hide-details
        @update:model-value="prefer.mutate({ zone: $event ?? null })"
      />
      <p role="status" class="quiet">{{ prefer.isPending.value ? 'Keeping …' : saved }}</p>
      <TroubleNote :error="prefer.error.value" />
    </section>
    <div class="side">
      <section v-if="me.data.value?.driver_id" class="sheet part" aria-labelledby="own-title">
        <h2 id="own-title">Your own data</h2>
        <p>
          What is kept of you as a driver, with your laps and traces, to take along:
          <a :href="`/api/drivers/${me.data.value.driver_id}/data.zip`" download>an exchange package</a>. Or your
          <a href="/api/lists/laps.csv" download>laps as CSV</a>, <a href="/api/lists/laps.xlsx" download>as XLSX</a>. A
          manager removes your name and profile for good, if you leave the team.
        </p>
      </section>
      <section class="sheet part" aria-labelledby="password-title">
        <h2 id="password-title">Password</h2>
        <form @submit.prevent="change.mutate()">
          <input
            class="visually-hidden"
            type="text"
            autocomplete="username"
            :value="me.data.value?.sign_in_name"
            tabindex="-1"
            aria-hidden="true"
            readonly
          />
          <v-text-field
            v-model="old"
            label="Present password"
            type="password"
            autocomplete="current-password"
            maxlength="128"
            hide-details
          />
          <v-text-field
            v-model="fresh"
            label="New password"
            type="password"
            autocomplete="new-password"
            maxlength="128"
            hint="12 characters or more; a few unrelated words make a good one"
            persistent-hint
          />
          <TroubleNote :error="change.error.value" />
          <v-alert v-if="change.isSuccess.value" type="success" role="status"
            >The password is changed. You are signed out everywhere else.</v-alert
          >
          <WorkButton
            type="submit"
            color="primary"
            :disabled="!old || fresh.length < 12"
            :loading="change.isPending.value"
            >Change it</WorkButton
          >
        </form>
      </section>
      <section class="sheet part" aria-labelledby="browsers-title">
        <h2 id="browsers-title">Where you are signed in</h2>
        <p v-if="me.data.value?.wrong_passwords" class="quiet">
          {{ count(me.data.value.wrong_passwords.count, 'wrong password') }} tried for your name in the last two weeks,
          the last on {{ moment(me.data.value.wrong_passwords.last_at) }}.
        </p>
        <TroubleNote :error="browsers.error.value ?? endOne.error.value ?? endAll.error.value" />
        <ul>
          <li v-for="item in browsers.data.value?.items" :key="item.id">
            <span
              >{{ item.browser }}<b v-if="item.this_one"> (here)</b
              ><span class="quiet since">since {{ moment(item.began_at) }}</span></span
            >
            <v-btn v-if="!item.this_one" size="small" variant="outlined" @click="endOne.mutate(item.id)"
              >Sign out<span class="visually-hidden">
                of {{ item.browser }}, since {{ moment(item.began_at) }}</span
              ></v-btn
            >
          </li>
        </ul>
        <WorkButton variant="outlined" :loading="endAll.isPending.value" @click="endAll.mutate()"
          >Sign out everywhere, here too</WorkButton
        >
      </section>
      <CalendarPart />
    </div>
  </div>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 360px), 480px));
  gap: 14px;
  align-items: start;
}
.part {
  padding: 12px 18px 16px;
}
.side {
  display: grid;
  gap: 12px;
}
.since {
  display: block;
}
fieldset {
  border: 0;
  padding: 0 0 0 132px;
  margin: 0 0 8px;
  position: relative;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
legend {
  font-weight: 600;
  position: absolute;
  left: 2px;
}
input[type='radio'] {
  accent-color: var(--accent);
}
form {
  display: grid;
  gap: 12px;
  margin-top: 10px;
  justify-items: start;
}
form > :deep(.v-input) {
  width: 100%;
}
ul {
  list-style: none;
  padding: 0;
  margin: 6px 0 12px;
}
li {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  padding: 4px 0;
  border-bottom: 1px solid var(--rule);
}
</style>
