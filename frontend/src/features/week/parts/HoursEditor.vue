<script setup lang="ts">
import { computed } from 'vue'
import type { Availability } from '@/shared/api/client'
import { WEEKDAYS } from '@/shared/words'

/** Weekly windows, days off and single slots, in wall times of the owner's zone. */
const hours = defineModel<Required<Availability>>({ required: true })
const zone = defineModel<string>('zone', { required: true })
const zones = [
  'UTC',
  ...(Intl as unknown as { supportedValuesOf: (key: string) => string[] }).supportedValuesOf('timeZone'),
]
const spoken = (begins: string, ends: string) => (ends <= begins ? 'goes past midnight' : '')
const today = () => new Date().toISOString().slice(0, 10)
function toggle(index: number, day: number) {
  const window = hours.value.weekly[index]
  if (window)
    window.days = window.days.includes(day) ? window.days.filter((item) => item !== day) : [...window.days, day].sort()
}
const empty = computed(() => !hours.value.weekly.length && !hours.value.extra.length)
</script>

<template>
  <fieldset class="hours">
    <legend>Free time</legend>
    <label
      >Times are of
      <select v-model="zone">
        <option value="">no zone yet: UTC</option>
        <option v-for="name in zones" :key="name" :value="name">{{ name }}</option>
      </select></label
    >
    <p v-if="empty" class="quiet">Nothing written down: then no start counts as outside of the free time.</p>
    <h3>Each week</h3>
    <div
      v-for="(window, index) in hours.weekly"
      :key="index"
      class="line"
      role="group"
      :aria-label="`Weekly window ${index + 1}`"
    >
      <span class="days">
        <button
          v-for="(name, day) in WEEKDAYS"
          :key="name"
          type="button"
          :aria-pressed="window.days.includes(day)"
          @click="toggle(index, day)"
        >
          {{ name }}
        </button>
      </span>
      <input v-model="window.begins" class="field" type="time" aria-label="from" required /> to
      <input v-model="window.ends" class="field" type="time" aria-label="to" required />
      <span class="quiet">{{ spoken(window.begins, window.ends) }}</span>
      <button type="button" class="link" @click="hours.weekly.splice(index, 1)">Remove</button>
    </div>
    <v-btn size="small" variant="outlined" @click="hours.weekly.push({ days: [0], begins: '19:00', ends: '22:00' })"
      >Add a window</v-btn
    >
    <h3>Days off</h3>
    <div v-for="(off, index) in hours.off" :key="index" class="line" role="group" :aria-label="`Days off ${index + 1}`">
      <input v-model="off.first" class="field" type="date" aria-label="first day" required /> to
      <input v-model="off.last" class="field" type="date" aria-label="last day" required />
      <input v-model="off.why" class="field" aria-label="why" placeholder="holiday" maxlength="120" />
      <button type="button" class="link" @click="hours.off.splice(index, 1)">Remove</button>
    </div>
    <v-btn size="small" variant="outlined" @click="hours.off.push({ first: today(), last: today(), why: '' })"
      >Add days off</v-btn
    >
    <h3>Single slots besides</h3>
    <div
      v-for="(slot, index) in hours.extra"
      :key="index"
      class="line"
      role="group"
      :aria-label="`Single slot ${index + 1}`"
    >
      <input v-model="slot.begins" class="field" type="datetime-local" aria-label="from" required /> to
      <input v-model="slot.ends" class="field" type="datetime-local" aria-label="to" required />
      <button type="button" class="link" @click="hours.extra.splice(index, 1)">Remove</button>
    </div>
    <v-btn
      size="small"
      variant="outlined"
      @click="hours.extra.push({ begins: `${today()}T19:00`, ends: `${today()}T21:00` })"
      >Add a slot</v-btn
    >
  </fieldset>
</template>

<style scoped>
.hours {
  border: 0;
  padding: 0;
  margin: 12px 0;
}
legend {
  font-weight: 600;
}
h3 {
  font-size: 0.92rem;
  font-family: var(--sans);
  font-weight: 600;
  margin: 8px 0 2px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  padding: 3px 0;
}
.days {
  display: flex;
  gap: 2px;
}
.days button {
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 1px 6px;
  min-height: 26px;
}
.days button[aria-pressed='true'] {
  background: var(--accent);
  color: var(--sheet);
  border-color: var(--accent);
}
select {
  max-width: 220px;
}
</style>
