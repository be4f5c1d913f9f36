<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import {
  answer,
  api,
  theirsOf,
  version,
  type Book,
  type Corner,
  type Reference,
  type ReferenceChange,
} from '@/shared/api/client'
import { KINDS, LASTS, POINTS, SIDES, SURE, THROTTLES, titleOf, useSettled, VARIANTS } from '@/features/track/book'
import { asTyped, fromShortUnit, inShortUnit, readNumber, shortUnit } from '@/shared/format'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { useProfiles } from '@/shared/queries'

/** A reference that is changed, or a new one: empty, or filled from another car's. */
const props = defineProps<{
  book: Book
  corner: Corner
  reference?: Reference
  from?: Partial<Reference>
  closing?: { id: string; version: number }
}>()
const emit = defineEmits<{ close: [] }>()
const shown = ref(true)
const settled = useSettled()
const may = useMay()
const all = computed(() => may('reference.confirm'))
const drivers = useProfiles()
const inUnit = (metres: number | null | undefined) =>
  metres === null || metres === undefined ? '' : asTyped(Number(inShortUnit(metres).toFixed(1)))
const form = reactive({
  version: 0,
  point: 'braking',
  kind: 'board',
  thing: '',
  side: '',
  offset: '',
  offset_words: '',
  at: '',
  gear: '',
  peak: '',
  throttle: '',
  harder_than: '',
  lasts: '',
  car_id: '',
  driver_id: '',
  variant: 'usual',
  sure: 'likely',
  note: '',
})
function show(row: Partial<Reference>) {
  Object.assign(form, {
    version: row.version ?? 0,
    point: row.point ?? 'braking',
    kind: row.kind ?? 'board',
    thing: row.thing ?? '',
    side: row.side ?? '',
    offset: inUnit(row.offset_m),
    offset_words: row.offset_words ?? '',
    at: asTyped(row.at_m),
    gear: asTyped(row.gear),
    peak: asTyped(row.brake_peak_pct),
    throttle: row.throttle ?? '',
    harder_than: row.harder_than ?? '',
    lasts: row.lasts_said ?? '',
    car_id: row.car_id ?? '',
    driver_id: row.driver_id ?? '',
    variant: row.variant ?? 'usual',
    sure: row.sure ?? 'likely',
    note: row.note ?? '',
  })
}
show(props.reference ?? props.from ?? {})
const usual = computed(() => LASTS[KINDS[form.kind as Reference['kind']].lasts])
const numbers = computed(() => !!(form.gear || form.peak || form.throttle))
// Numbers are a car's: most likely the one that the book is seen with.
watch(numbers, (now) => now && !form.car_id && (form.car_id = props.book.car_id ?? ''))
const bad = computed(() => {
  const wrong = [form.offset, form.at, form.gear, form.peak].find((text) => Number.isNaN(readNumber(text) ?? 0))
  if (wrong) return `“${wrong}” is not a number.`
  if (numbers.value && !form.car_id) return 'A gear, a brake peak and a throttle belong to a car: say which.'
  return ''
})
const body = (): ReferenceChange => {
  const offset = readNumber(form.offset)
  return {
    point: form.point as ReferenceChange['point'],
    kind: form.kind as ReferenceChange['kind'],
    thing: form.thing,
    side: (form.side || null) as ReferenceChange['side'],
    offset_m: offset === null ? null : fromShortUnit(offset),
    offset_words: form.offset_words,
    at_m: readNumber(form.at),
    gear: readNumber(form.gear),
    brake_peak_pct: readNumber(form.peak),
    throttle: (form.throttle || null) as ReferenceChange['throttle'],
    harder_than: form.harder_than || null,
    lasts: (form.lasts || null) as ReferenceChange['lasts'],
    car_id: form.car_id || null,
    driver_id: form.driver_id || null,
    variant: form.variant as ReferenceChange['variant'],
    sure: form.sure as ReferenceChange['sure'],
    note: form.note || null,
  }
}
const save = useMutation({
  mutationFn: async (act: { version: number; confirmed: boolean }) => {
    if (props.reference)
      await answer(
        api.PUT('/api/references/{reference_id}', {
          params: { path: { reference_id: props.reference.id }, header: version(act.version) },
          body: body(),
        }),
      )
    else if (props.closing)
      await answer(
        api.POST('/api/questions/{question_id}/close', {
          params: { path: { question_id: props.closing.id }, header: version(props.closing.version) },
          body: { became: 'reference', reference: body() },
        }),
      )
    else
      await answer(
        api.POST('/api/corners/{corner_id}/references', {
          params: { path: { corner_id: props.corner.id } },
          body: { ...body(), confirmed: act.confirmed },
        }),
      )
  },
  onSuccess: () => (shown.value = false),
  onSettled: settled,
})
const theirs = computed(() => theirsOf<Reference>(save.error.value))
const send = () =>
  !bad.value && save.mutate({ version: form.version, confirmed: all.value && !props.reference && !props.closing })
</script>

<template>
  <v-dialog v-model="shown" max-width="820" aria-labelledby="reference-title" @after-leave="emit('close')">
    <form v-draft="`reference ${corner.id} ${reference?.id ?? ''}`" class="sheet part" @submit.prevent="send">
      <h2 id="reference-title">{{ reference ? 'Change a reference' : 'A reference' }} at {{ titleOf(corner) }}</h2>
      <div class="fields">
        <label
          >For
          <select v-model="form.point" autofocus>
            <option v-for="(item, value) in POINTS" :key="value" :value="value">{{ item.title }}</option>
          </select></label
        >
        <label
          >Kind
          <select v-model="form.kind">
            <option v-for="(item, value) in KINDS" :key="value" :value="value">{{ item.title }}</option>
          </select></label
        >
        <label class="two"
          >What one goes by <input v-model="form.thing" class="field" maxlength="200" placeholder="second board"
        /></label>
        <label
          >Side
          <select v-model="form.side">
            <option value="">not said</option>
            <option v-for="side in SIDES" :key="side" :value="side">{{ side }}</option>
          </select></label
        >
        <label
          >{{ shortUnit() }} behind it (− before)
          <input v-model="form.offset" v-reads class="field" inputmode="decimal" maxlength="12"
        /></label>
        <label class="two"
          >or in words
          <input v-model="form.offset_words" class="field" maxlength="200" placeholder="end of the second drain cover"
        /></label>
        <label
          >Whose
          <select v-model="form.car_id">
            <option value="">landmark, for every car</option>
            <option v-for="car in book.cars" :key="car.id" :value="car.id">{{ car.name }}</option>
          </select></label
        >
        <label
          >For
          <select v-model="form.driver_id" aria-label="For which driver">
            <option value="">every driver</option>
            <option
              v-for="driver in drivers.data.value?.items.filter((item) => !item.guest)"
              :key="driver.id"
              :value="driver.id"
            >
              {{ driver.name }}
            </option>
          </select></label
        >
        <label
          >When
          <select v-model="form.variant">
            <option v-for="(words, value) in VARIANTS" :key="value" :value="value">{{ words }}</option>
          </select></label
        >
        <label
          >How sure
          <select v-model="form.sure">
            <option v-for="(words, value) in SURE" :key="value" :value="value">{{ words }}</option>
          </select></label
        >
        <label>Gear <input v-model="form.gear" v-reads class="field" inputmode="numeric" maxlength="2" /></label>
        <label
          >Peak brake, % <input v-model="form.peak" v-reads class="field" inputmode="numeric" maxlength="4"
        /></label>
        <label
          >Throttle
          <select v-model="form.throttle">
            <option value="">not said</option>
            <option v-for="shape in THROTTLES" :key="shape" :value="shape">{{ shape }}</option>
          </select></label
        >
        <label
          >Brake harder than in
          <select v-model="form.harder_than">
            <option value="">not said</option>
            <option
              v-for="item in book.corners.filter((one) => one.id !== corner.id)"
              :key="item.id"
              :value="item.code"
            >
              {{ titleOf(item) }}
            </option>
          </select></label
        >
        <label
          >How it lasts
          <select v-model="form.lasts">
            <option value="">as its kind: {{ usual }}</option>
            <option v-for="(words, value) in LASTS" :key="value" :value="value">{{ words }}</option>
          </select></label
        >
        <label
          >Metres from the line <input v-model="form.at" v-reads class="field" inputmode="decimal" maxlength="9"
        /></label>
        <label class="wide">Note <textarea v-model="form.note" class="field" rows="2" maxlength="2000" /></label>
      </div>
      <TheirsNote
        v-if="theirs"
        @mine="save.mutate({ version: theirs.version, confirmed: false })"
        @theirs="(show(theirs), save.reset())"
        >Somebody else changed this reference meanwhile.</TheirsNote
      >
      <TroubleNote v-else :error="save.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :disabled="!!bad" :loading="save.isPending.value">{{
          reference ? 'Keep' : all && !closing ? 'Write it' : 'Propose it'
        }}</WorkButton>
        <WorkButton
          v-if="all && !reference && !closing"
          variant="outlined"
          :disabled="!!bad"
          @click="save.mutate({ version: 0, confirmed: false })"
          >Propose it only</WorkButton
        >
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <span class="bad" role="status">{{ bad }}</span>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.two {
  grid-column: span 2;
}
@media (max-width: 600px) {
  .two {
    grid-column: auto;
  }
}
</style>
