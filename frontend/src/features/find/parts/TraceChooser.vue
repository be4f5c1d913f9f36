<script setup lang="ts">
import { computed, ref } from 'vue'
import type { TracedLap } from '@/shared/api/client'
import { lapTime } from '@/shared/format'
import { KINDS } from '@/features/drive/runs'

/** Which laps lie over each other, and which of them the others are held against. */
const props = defineProps<{ laps: TracedLap[]; keys: string[] }>()
const emit = defineEmits<{ choose: [keys: string[]] }>()
const MOST = 12
const drivers = computed(() => [...new Set(props.laps.map((lap) => lap.driver))].sort())
const driver = ref('')
const countingAlone = ref(true)
const groups = computed(() => {
  const made = new Map<string, TracedLap[]>()
  for (const lap of props.laps) {
    if (
      (driver.value && lap.driver !== driver.value) ||
      (countingAlone.value && !lap.counts && !props.keys.includes(lap.key))
    )
      continue
    const title = `${lap.driver}, session ${lap.session}`
    made.set(title, [...(made.get(title) ?? []), lap])
  }
  return [...made].map(([title, laps]) => ({ title, laps: laps.sort((a, b) => a.time_us - b.time_us) }))
})
function turn(key: string) {
  const next = props.keys.includes(key) ? props.keys.filter((item) => item !== key) : [...props.keys, key]
  if (next.length && next.length <= MOST) emit('choose', next)
}
/** Everybody's fastest lap that counts, the fastest of all first. */
function fastest() {
  const best = new Map<string, TracedLap>()
  for (const lap of props.laps)
    if (lap.counts && lap.time_us < (best.get(lap.driver)?.time_us ?? Infinity)) best.set(lap.driver, lap)
  emit(
    'choose',
    [...best.values()]
      .sort((a, b) => a.time_us - b.time_us)
      .slice(0, MOST)
      .map((lap) => lap.key),
  )
}
</script>

<template>
  <section class="sheet part" aria-labelledby="laps-title">
    <h2 id="laps-title">Laps</h2>
    <p class="line">
      <label v-if="drivers.length > 1"
        >Driver
        <select v-model="driver">
          <option value="">all</option>
          <option v-for="name in drivers" :key="name">{{ name }}</option>
        </select></label
      >
      <label><input v-model="countingAlone" type="checkbox" /> only whole, valid flying laps</label>
      <button v-if="drivers.length > 1" type="button" class="link" @click="fastest">Everybody’s fastest</button>
    </p>
    <div class="rows" tabindex="0" role="region" aria-label="Laps with traces">
      <table class="ledger">
        <thead>
          <tr>
            <th scope="col">Shown</th>
            <th scope="col">Lap</th>
            <th scope="col" class="number">Time</th>
            <th scope="col"><span class="visually-hidden">First</span></th>
          </tr>
        </thead>
        <tbody v-for="group in groups" :key="group.title">
          <tr>
            <th scope="rowgroup" colspan="4" class="group">{{ group.title }}</th>
          </tr>
          <tr v-for="lap in group.laps" :key="lap.key">
            <td>
              <input
                type="checkbox"
                :checked="keys.includes(lap.key)"
                :disabled="
                  (keys.length === 1 && keys[0] === lap.key) || (keys.length >= MOST && !keys.includes(lap.key))
                "
                :aria-label="`Show ${lap.driver}, session ${lap.session}, lap ${lap.number}`"
                @change="turn(lap.key)"
              />
            </td>
            <td>
              lap {{ lap.number }}<span v-if="lap.kind !== 'flying'" class="quiet"> {{ KINDS[lap.kind] }}</span>
            </td>
            <td class="number">{{ lapTime(lap.time_us) }}</td>
            <td>
              <button
                v-if="keys[0] !== lap.key"
                type="button"
                class="link"
                @click="emit('choose', [lap.key, ...keys.filter((key) => key !== lap.key)].slice(0, MOST))"
              >
                Hold against it<span class="visually-hidden">: {{ lap.driver }}, lap {{ lap.number }}</span>
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
}
.group {
  font-weight: 600;
}
.rows {
  position: relative;
  max-height: 240px;
  overflow: auto;
}
</style>
