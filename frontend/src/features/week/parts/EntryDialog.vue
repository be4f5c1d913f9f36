<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive, ref, watch } from 'vue'
import {
  answer,
  api,
  theirsOf,
  version,
  type Board,
  type BoardCell,
  type BoardColumn,
  type EntryChange,
  type Importance,
  type WeekEntry,
} from '@/shared/api/client'
import { clock, date, moment, zoneName } from '@/shared/format'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TheirsNote from '@/shared/parts/TheirsNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { useMay } from '@/shared/session'
import { IMPORTANCE } from '@/shared/words'

const props = defineProps<{ driver: string; column: BoardColumn; cell: BoardCell; board: Board }>()
const emit = defineEmits<{ close: [] }>()
const queries = useQueryClient()
const may = useMay()
const shown = ref(true)
const entry = computed(() => props.cell.entry)
const form = reactive({
  version: 0,
  importance: 'want' as Importance,
  starts: [] as string[],
  car: '',
  rig: '',
  note: '',
  points: null as number | null,
})
function show(
  row: Pick<WeekEntry, 'version' | 'importance' | 'starts' | 'car_id' | 'resource_id' | 'note' | 'points'>,
) {
  form.version = row.version
  form.importance = row.importance
  form.starts = row.starts.map((start) => new Date(start).toISOString())
  form.car = row.car_id ?? ''
  form.rig = row.resource_id ?? ''
  form.note = row.note ?? ''
  form.points = row.points
}
watch(entry, (row, old) => row && row.id !== old?.id && show(row), { immediate: true })
const id = computed(() => entry.value?.id ?? '')
const choices = useQuery({
  queryKey: ['starts', id],
  queryFn: () => answer(api.GET('/api/entries/{entered_id}/starts', { params: { path: { entered_id: id.value } } })),
})
const fittingOnly = ref(true)
const known = computed(() => (choices.data.value?.items ?? []).some((item) => item.in_time !== null))
/** By day, in the person's zone; those that are over or don't fit are left out unless they are chosen or asked for. */
const days = computed(() => {
  const out = new Map<string, { start: string; fits: boolean; busy: boolean; over: boolean }[]>()
  for (const item of choices.data.value?.items ?? []) {
    const start = new Date(item.start).toISOString()
    const over = start < new Date(props.board.now).toISOString()
    const fits = item.in_time !== false && !over
    if (fittingOnly.value && !fits && !form.starts.includes(start)) continue
    const day = date(start)
    out.set(day, [...(out.get(day) ?? []), { start, fits, busy: item.busy, over }])
  }
  return [...out]
})
/** Chosen, but no longer on offer. */
const strange = computed(() => {
  const offered = new Set((choices.data.value?.items ?? []).map((item) => new Date(item.start).toISOString()))
  return choices.data.value ? form.starts.filter((start) => !offered.has(start)) : []
})
function toggle(start: string) {
  form.starts = form.starts.includes(start)
    ? form.starts.filter((item) => item !== start)
    : [...form.starts, start].sort()
}
const all = computed(() => may('entry.remove'))
const save = useMutation({
  mutationFn: (number: number) =>
    answer(
      api.PUT('/api/entries/{entered_id}', {
        params: { path: { entered_id: id.value }, header: version(number) },
        // What isn't named stays as it was: a driver names what is theirs to choose.
        body: {
          ...(all.value
            ? {
                importance: form.importance,
                car_id: form.car || null,
                resource_id: form.rig || null,
                points: typeof form.points === 'number' ? form.points : null,
              }
            : {}),
          starts: form.starts,
          note: form.note || null,
        } as EntryChange,
      }),
    ),
  onSuccess: () => (shown.value = false),
  onSettled: () =>
    Promise.all(['board', 'steps', 'history', 'starts'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
const remove = useMutation({
  mutationFn: () => answer(api.POST('/api/entries/remove', { body: { entry_ids: [id.value] } })),
  onSuccess: () => (shown.value = false),
  onSettled: () =>
    Promise.all(['board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] }))),
})
const theirs = computed(() => theirsOf<WeekEntry>(save.error.value))
</script>

<template>
  <v-dialog v-model="shown" max-width="640" aria-labelledby="entry-title" @after-leave="emit('close')">
    <form v-draft="`entry ${id}`" class="sheet part" @submit.prevent="save.mutate(form.version)">
      <h2 id="entry-title">{{ driver }} in {{ column.series }}</h2>
      <p class="quiet">{{ column.place }} · {{ column.cars.map((car) => car.name).join(' or ') }}</p>
      <ul v-if="entry?.clashes.length" class="clashes">
        <li v-for="clash in entry.clashes" :key="`${clash.start} ${clash.kind}`">
          <template v-if="clash.start">{{ moment(clash.start) }}: </template>{{ clash.words }}
        </li>
      </ul>
      <div v-if="all" class="row">
        <label
          >Importance
          <select v-model="form.importance">
            <option v-for="(words, key) in IMPORTANCE" :key="key" :value="key">{{ words.words }}</option>
          </select></label
        >
        <label v-if="column.cars.length > 1"
          >Car
          <select v-model="form.car">
            <option value="">any of them</option>
            <option v-for="car in column.cars" :key="car.id" :value="car.id">{{ car.name }}</option>
          </select></label
        >
        <label v-if="board.resources.length"
          >Shared rig
          <select v-model="form.rig">
            <option value="">none</option>
            <option v-for="item in board.resources" :key="item.id" :value="item.id">{{ item.name }}</option>
          </select></label
        >
        <label
          >Points it brought
          <input v-model.number="form.points" class="field points" type="number" min="0" step="any" placeholder="–"
        /></label>
      </div>
      <fieldset>
        <legend>
          Starts <span class="quiet">in {{ zoneName() }}; each takes {{ Math.round(column.minutes) }} min</span>
        </legend>
        <SkeletonRows v-if="choices.isPending.value" :rows="3" label="Loading the starts" />
        <TroubleNote :error="choices.error.value" :again="() => choices.refetch()" />
        <label v-if="choices.data.value" class="only"
          ><input v-model="fittingOnly" type="checkbox" />
          {{ known ? 'Only those that fit into the free time' : 'Only those to come (no hours are known)' }}</label
        >
        <p v-if="choices.data.value && !choices.data.value.items.length" class="quiet">
          The week has no start times yet.
        </p>
        <p v-else-if="choices.data.value && !days.length" class="quiet">
          None fits. Look at the others, or at the driver's hours.
        </p>
        <div v-for="[day, starts] in days" :key="day" class="day">
          <span class="name">{{ day }}</span>
          <span class="chips">
            <button
              v-for="item in starts"
              :key="item.start"
              type="button"
              :aria-pressed="form.starts.includes(item.start)"
              :class="{ unfit: !item.fits || item.busy }"
              :title="
                item.over
                  ? 'over'
                  : !item.fits
                    ? 'outside of the free time'
                    : item.busy
                      ? 'another start at the same time'
                      : ''
              "
              @click="toggle(item.start)"
            >
              {{ clock(item.start) }}<span v-if="item.over" class="visually-hidden">, over</span
              ><span v-else-if="!item.fits" class="visually-hidden">, outside of the free time</span
              ><span v-else-if="item.busy" class="visually-hidden">, another start at the same time</span>
            </button>
          </span>
        </div>
        <p v-for="start in strange" :key="start" class="bad">
          {{ moment(start) }} isn't on offer any more.
          <button type="button" class="link" @click="toggle(start)">Take it out</button>
        </p>
      </fieldset>
      <v-text-field v-model="form.note" label="Note" maxlength="2000" hide-details autocomplete="off" />
      <TheirsNote v-if="theirs" @mine="save.mutate(theirs.version)" @theirs="(show(theirs), save.reset())">
        Somebody else changed this entry meanwhile: {{ IMPORTANCE[theirs.importance].words }},
        {{ theirs.starts.length ? theirs.starts.map(moment).join(', ') : 'no start'
        }}{{ theirs.note ? `, “${theirs.note}”` : '' }}.
      </TheirsNote>
      <TroubleNote v-else :error="save.error.value ?? remove.error.value" />
      <div class="buttons">
        <WorkButton type="submit" color="primary" :loading="save.isPending.value">Keep</WorkButton>
        <v-btn variant="outlined" @click="shown = false">Leave it</v-btn>
        <WorkButton
          v-if="all"
          variant="outlined"
          color="error"
          :loading="remove.isPending.value"
          @click="remove.mutate()"
          >Take out of the week</WorkButton
        >
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.points {
  width: 84px;
}
form {
  max-height: 86vh;
  overflow-y: auto;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  margin-top: 8px;
}
fieldset {
  border: 0;
  padding: 0;
  margin: 10px 0;
}
legend {
  font-weight: 600;
}
legend .quiet {
  font-weight: 400;
}
.day {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 6px;
  align-items: baseline;
  padding: 2px 0;
  border-bottom: 1px solid var(--rule);
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.chips button {
  border: 1px solid var(--quiet);
  border-radius: 3px;
  padding: 1px 7px;
  min-height: 24px;
  font-variant-numeric: tabular-nums;
}
.chips button[aria-pressed='true'] {
  background: var(--accent);
  border-color: var(--accent);
  color: var(--sheet);
  font-weight: 600;
}
.chips button.unfit {
  border-style: dashed;
  color: var(--quiet);
}
.chips button.unfit[aria-pressed='true'] {
  color: var(--sheet);
}
.clashes,
.bad {
  color: var(--loss);
  margin-top: 6px;
}
.clashes {
  padding-left: 18px;
}
</style>
