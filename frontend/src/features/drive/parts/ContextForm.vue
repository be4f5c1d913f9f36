<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { RunContext, RunTemplate } from '@/shared/api/client'
import { asTyped, readIn, readNumber, typedIn } from '@/shared/format'
import { units } from '@/shared/units'
import { COMPANIES, NO_EVIDENCE, PURPOSES } from '@/features/drive/runs'

/** What is said of a run: filled in from the last one, so that only what is other has to be typed. */
const context = defineModel<RunContext>({ required: true })
const props = defineProps<{ template?: RunTemplate; supposed?: string[] }>()
const emit = defineEmits<{ wrong: [words: string] }>()

const numbers = ref({ tyre_age: '', fuel_l: '', energy_kwh: '' })
const watching = ref('')
function show(given: RunContext) {
  numbers.value = {
    tyre_age: asTyped(given.tyre_age),
    fuel_l: typedIn('volume', given.fuel_l),
    energy_kwh: asTyped(given.energy_kwh),
  }
  watching.value = (given.watch ?? []).join('\n')
}
show(context.value)
defineExpose({ show })
const put = (values: Partial<RunContext>) => (context.value = { ...context.value, ...values })
const text = (name: 'tyre_set' | 'compound' | 'setup' | 'assists') =>
  computed({ get: () => context.value[name] ?? '', set: (value: string) => put({ [name]: value || null }) })
const tyreSet = text('tyre_set')
const compound = text('compound')
const setup = text('setup')
const assists = text('assists')
const watched = computed(() =>
  watching.value
    .split('\n')
    .map((line) => line.trim())
    .filter(Boolean),
)
watch(
  numbers,
  (typed) =>
    put({
      tyre_age: readNumber(typed.tyre_age),
      fuel_l: readIn('volume', typed.fuel_l, context.value.fuel_l),
      energy_kwh: readNumber(typed.energy_kwh),
    }),
  { deep: true },
)
watch(watched, (lines) => put({ watch: lines }))
const wrong = computed(() => {
  const bad = Object.values(numbers.value).find((value) => Number.isNaN(readNumber(value) ?? 0))
  if (bad) return `“${bad}” is not a number.`
  return watched.value.length > 3 ? 'Name at most three things to watch: more can’t be kept in mind while driving.' : ''
})
watch(wrong, (words) => emit('wrong', words), { immediate: true })
const inCar = computed(() => {
  const known = (props.template?.in_car ?? []).map((item) => ({
    name: String(item.name),
    unit: item.unit ? String(item.unit) : '',
    hint: item.low !== null && item.high !== null && item.low !== undefined ? `${item.low} to ${item.high}` : '',
  }))
  const more = Object.keys(context.value.settings ?? {}).filter((name) => !known.some((item) => item.name === name))
  return [...known, ...more.map((name) => ({ name, unit: '', hint: '' }))]
})
const setSetting = (name: string, value: string) => put({ settings: { ...context.value.settings, [name]: value } })
/** A car is asked for what it runs on, where that is known. */
const burns = computed(() => context.value.fuel_l !== null || !props.template?.battery_kwh || !!props.template.tank_l)
const charges = computed(
  () => context.value.energy_kwh !== null || !props.template?.tank_l || !!props.template.battery_kwh,
)
const known = (name: string) => props.template?.known[name] ?? []
const isSupposed = (name: string) => props.supposed?.includes(name)
const official = computed({
  get: () =>
    context.value.official === null || context.value.official === undefined ? '' : String(context.value.official),
  set: (value: string) => put({ official: value === '' ? null : value === 'true' }),
})
</script>

<template>
  <div class="fields">
    <label :class="{ supposed: isSupposed('purpose') }"
      >Purpose
      <select
        :value="context.purpose ?? ''"
        @change="put({ purpose: (($event.target as HTMLSelectElement).value || null) as RunContext['purpose'] })"
      >
        <option value="">not said</option>
        <option v-for="(words, name) in PURPOSES" :key="name" :value="name">{{ words }}</option>
      </select>
    </label>
    <label
      >Session
      <select
        :value="context.session_kind"
        @change="put({ session_kind: ($event.target as HTMLSelectElement).value as RunContext['session_kind'] })"
      >
        <option>practice</option>
        <option>qualifying</option>
        <option>race</option>
      </select>
    </label>
    <label :class="{ supposed: isSupposed('tyre_set') }"
      >Tyre set <input v-model="tyreSet" class="field" maxlength="120" list="known-tyre_set"
    /></label>
    <label :class="{ supposed: isSupposed('compound') }"
      >Compound <input v-model="compound" class="field" maxlength="120" list="known-compound"
    /></label>
    <label :class="{ supposed: isSupposed('tyre_age') }"
      >Laps on the set <input v-model="numbers.tyre_age" v-reads class="field" inputmode="decimal" maxlength="9"
    /></label>
    <label v-if="burns" :class="{ supposed: isSupposed('fuel_l') }"
      >Fuel, {{ units.volume }} <input v-model="numbers.fuel_l" v-reads class="field" inputmode="decimal" maxlength="9"
    /></label>
    <label v-if="charges" :class="{ supposed: isSupposed('energy_kwh') }"
      >Energy, kWh <input v-model="numbers.energy_kwh" v-reads class="field" inputmode="decimal" maxlength="9"
    /></label>
    <label :class="{ supposed: isSupposed('setup') }"
      >Setup <input v-model="setup" class="field" maxlength="120" list="known-setup"
    /></label>
    <label :class="{ supposed: isSupposed('assists') }"
      >Assists <input v-model="assists" class="field" maxlength="120" list="known-assists"
    /></label>
    <label :class="{ supposed: isSupposed('company') }"
      >Company
      <select
        :value="context.company ?? ''"
        @change="put({ company: (($event.target as HTMLSelectElement).value || null) as RunContext['company'] })"
      >
        <option value="">not said</option>
        <option v-for="(words, name) in COMPANIES" :key="name" :value="name">{{ words }}</option>
      </select>
    </label>
    <label :class="{ supposed: isSupposed('official') }"
      >Conditions
      <select v-model="official">
        <option value="">not said</option>
        <option value="true">official, as in the race</option>
        <option value="false">other</option>
      </select>
    </label>
    <label v-for="item in inCar" :key="item.name" :class="{ supposed: isSupposed('settings') }"
      >{{ item.name }}<template v-if="item.unit">, {{ item.unit }}</template>
      <input
        class="field"
        maxlength="60"
        :value="context.settings?.[item.name] ?? ''"
        :placeholder="item.hint"
        @input="setSetting(item.name, ($event.target as HTMLInputElement).value)"
      />
    </label>
    <label class="half" :class="{ supposed: isSupposed('options') }"
      >Options to try
      <input
        class="field"
        maxlength="400"
        :value="context.options"
        placeholder="T4 = third gear, lap = save"
        @input="put({ options: ($event.target as HTMLInputElement).value })"
    /></label>
    <label class="half" :class="{ supposed: isSupposed('watch') }"
      >To watch, one thing a line, three at most <textarea v-model="watching" class="field" rows="2" />
    </label>
  </div>
  <datalist v-for="name in ['tyre_set', 'compound', 'setup', 'assists']" :id="`known-${name}`" :key="name">
    <option v-for="value in known(name)" :key="value" :value="value" />
  </datalist>
  <p v-if="context.purpose && NO_EVIDENCE.includes(context.purpose)" class="quiet small">
    Laps of such a run are practice: they count neither for consistency nor as mistakes.
  </p>
</template>

<style scoped>
.half {
  grid-column: span 2;
}
.supposed {
  border-left: 3px solid var(--ochre);
  padding-left: 6px;
}
.small {
  font-size: 0.88rem;
}
@media (max-width: 600px) {
  .half {
    grid-column: 1 / -1;
  }
}
</style>
