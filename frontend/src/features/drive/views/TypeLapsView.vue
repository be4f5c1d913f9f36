<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { nextTick, onBeforeUnmount, onMounted, reactive, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api, type KeptLap } from '@/shared/api/client'
import { lapTime } from '@/shared/format'
import { openLane, type Sent, type ShownLane } from '@/features/drive/lanes'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import LaneChooser from '@/features/drive/parts/LaneChooser.vue'
import LaneLaps from '@/features/drive/parts/LaneLaps.vue'
import SeatNote from '@/features/drive/parts/SeatNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { PURPOSES, runPlace, useRunsSettled } from '@/features/drive/runs'

const MOST = 4
const props = defineProps<{ id: string }>()
const route = useRoute()
const settled = useRunsSettled()
const letters = useQuery({ queryKey: ['letters'], queryFn: () => answer(api.GET('/api/letters')), staleTime: Infinity })
interface Column {
  open: ShownLane
  text: string
  mending: KeptLap | undefined
  trouble: string
}
const columns = reactive<Column[]>([])
const opening = ref(false)
const trouble = ref<Error | null>(null)
const helped = ref(false)
const fields = ref<HTMLInputElement[]>([])
const taken = () => columns.map((column) => column.open.lane.driver_id)

async function open(who: { driver_id?: string; guest?: string; new_run?: boolean }, at = columns.length) {
  opening.value = true
  trouble.value = null
  try {
    const made = { open: await openLane(props.id, who), text: '', mending: undefined, trouble: '' }
    if (at < columns.length) columns.splice(at, 1, made)
    else columns.push(made)
    await nextTick()
    focus(at)
  } catch (error) {
    trouble.value = error as Error
  } finally {
    opening.value = false
  }
}
onMounted(() => {
  if (typeof route.query.driver === 'string') void open({ driver_id: route.query.driver })
})
onBeforeUnmount(() => void settled())
function focus(at: number) {
  const field = fields.value[(at + columns.length) % columns.length]
  field?.focus()
  field?.select()
}
function enter(column: Column) {
  const line = column.text.trim()
  column.trouble = ''
  if (!line) return
  if (column.mending) {
    const lap = column.mending
    column.open.mend(lap, line).then(
      () => Object.assign(column, { mending: undefined, text: '' }),
      (error: Error) => (column.trouble = error.message),
    )
    return
  }
  column.open.add(line, { line })
  column.text = ''
}
/** The last one again: what the server didn't take, else the last lap that is kept. */
function mendLast(column: Column) {
  const refused = column.open.waiting.find((item) => item.trouble)
  if (refused) return again(column, refused)
  const last = column.open.laps[column.open.laps.length - 1]
  if (!last) return
  column.mending = last
  column.text = lapTime(last.time_us)
  void nextTick(() => focus(columns.indexOf(column)))
}
function again(column: Column, item: Sent) {
  column.text = item.words
  column.open.drop(item)
  void nextTick(() => focus(columns.indexOf(column)))
  void column.open.flush()
}
function onKey(event: KeyboardEvent, column: Column, at: number) {
  const inNote = /(^|\s)n\s/i.test(column.text)
  if (event.key === 'Enter') {
    event.preventDefault()
    enter(column)
  } else if (event.key === 'ArrowUp') {
    event.preventDefault()
    mendLast(column)
  } else if (event.key === 'Escape') {
    Object.assign(column, { mending: undefined, text: '', trouble: '' })
  } else if (!inNote && (event.key === '+' || event.key === '-') && columns.length > 1) {
    event.preventDefault()
    focus(at + (event.key === '+' ? 1 : -1))
  } else if (!inNote && event.key === '?') {
    event.preventDefault()
    helped.value = !helped.value
  }
}
</script>

<template>
  <DriveHead :id="id" title="Type laps" still />
  <SeatNote />
  <TroubleNote :error="trouble" />
  <p v-if="columns.length" class="quiet keys">
    <kbd>92114</kbd> <kbd>Enter</kbd> is 1:32.114; after that <kbd>32.1</kbd> is enough. <kbd>↑</kbd> mends the last
    one<template v-if="columns.length > 1">, <kbd>+</kbd> and <kbd>−</kbd> go from driver to driver</template>.
    <kbd>?</kbd> shows the letters.
  </p>
  <div class="columns">
    <section
      v-for="(column, at) in columns"
      :key="column.open.lane.driver_id + column.open.lane.run"
      class="sheet lane"
      :aria-label="`Laps of ${column.open.lane.driver}`"
    >
      <div class="head">
        <h2>{{ column.open.lane.driver }}<span v-if="column.open.lane.guest" class="quiet"> guest</span></h2>
        <p class="quiet small">
          <RouterLink :to="runPlace(id, column.open.key)">run {{ column.open.lane.run }}</RouterLink
          ><template v-if="column.open.lane.purpose"> · {{ PURPOSES[column.open.lane.purpose] }}</template
          ><template v-else-if="!column.open.lane.run_id"> · undeclared</template>
        </p>
      </div>
      <p v-if="column.open.lane.watch.length" class="small watch">{{ column.open.lane.watch.join(' · ') }}</p>
      <label class="line">
        <span class="quiet">{{
          column.mending ? `mends lap ${column.mending.number}` : `lap ${column.open.next}`
        }}</span>
        <input
          ref="fields"
          v-model="column.text"
          class="field typed"
          autocomplete="off"
          spellcheck="false"
          maxlength="2500"
          enterkeyhint="enter"
          :aria-label="
            column.mending
              ? `Lap ${column.mending.number} of ${column.open.lane.driver} anew`
              : `Lap ${column.open.next} of ${column.open.lane.driver}`
          "
          @keydown="onKey($event, column, at)"
        />
      </label>
      <p v-if="column.trouble" class="rust small" role="alert">{{ column.trouble }}</p>
      <LaneLaps
        :open="column.open"
        :marked="column.mending?.number"
        refused-act="Type it anew"
        @refused="again(column, $event)"
      />
      <div class="acts small">
        <button
          type="button"
          class="link"
          :disabled="!column.open.laps.length"
          @click="open({ driver_id: column.open.lane.driver_id, new_run: true }, at)"
        >
          Next run<span class="visually-hidden"> of {{ column.open.lane.driver }}</span>
        </button>
        <button type="button" class="link" @click="columns.splice(at, 1)">
          Close<span class="visually-hidden"> the lane of {{ column.open.lane.driver }}</span>
        </button>
      </div>
    </section>
  </div>
  <LaneChooser
    v-if="columns.length < MOST"
    :taken="taken()"
    :busy="opening"
    :first="!columns.length"
    @open="open($event)"
  />
  <section v-if="!columns.length" class="sheet empty">
    <h2>One line a lap</h2>
    <p>
      Digits and Enter, on the number block alone if you like. Sectors with blanks between. A letter behind the time
      says what happened: <kbd>92114 t</kbd> is a lap in traffic.
    </p>
  </section>
  <section v-if="helped" class="sheet part" aria-labelledby="letters-title">
    <h2 id="letters-title">Letters behind a time</h2>
    <ul class="letters">
      <li v-for="item in letters.data.value?.items" :key="item.letter">
        <kbd>{{ item.letter }}</kbd> {{ item.words }}
      </li>
      <li><kbd>n</kbd> a note in your own words, to the end of the line</li>
    </ul>
    <div class="buttons"><v-btn size="small" variant="outlined" @click="helped = false">Close</v-btn></div>
  </section>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 270px), 1fr));
  gap: 12px;
}
.lane {
  padding: 8px 12px 10px;
  min-width: 0;
}
.lane:focus-within {
  border-color: var(--accent);
  box-shadow: inset 0 3px 0 var(--accent);
}
.head {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  justify-content: space-between;
  gap: 0 10px;
}
.watch {
  border-left: 3px solid var(--ochre);
  padding-left: 6px;
}
.line {
  display: grid;
  font-size: 0.86rem;
  margin: 4px 0;
}
.typed {
  font-size: 1.7rem;
  font-variant-numeric: tabular-nums lining-nums;
  padding: 3px 9px;
  width: 100%;
}
.small {
  font-size: 0.86rem;
}
.acts {
  display: flex;
  gap: 14px;
  margin-top: 6px;
}
.acts .link:disabled {
  color: var(--quiet);
  text-decoration: none;
}
.keys {
  margin-bottom: 8px;
}
.letters {
  list-style: none;
  padding: 0;
  columns: 3 240px;
}
</style>
