<script setup lang="ts">
import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, onBeforeUnmount, onMounted, reactive, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { gap, lapTime, moment } from '@/shared/format'
import { openLane, type ShownLane } from '@/features/drive/lanes'
import DriveHead from '@/features/drive/parts/DriveHead.vue'
import LaneChooser from '@/features/drive/parts/LaneChooser.vue'
import LaneLaps from '@/features/drive/parts/LaneLaps.vue'
import PracticeClip from '@/features/drive/parts/PracticeClip.vue'
import SeatNote from '@/features/drive/parts/SeatNote.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import { PURPOSES, runPlace, useRunsSettled } from '@/features/drive/runs'

const MOST = 4
const props = defineProps<{ id: string }>()
const route = useRoute()
const queries = useQueryClient()
const settled = useRunsSettled()
interface Column {
  open: ShownLane
  /** Presses of the lap that runs, in ms of the page's clock; null where a line was missed. */
  presses: (number | null)[]
  last: string
}
const columns = reactive<Column[]>([])
const opening = ref(false)
const trouble = ref<Error | null>(null)
const sectorsToo = ref(true)
const taken = () => columns.map((column) => column.open.lane.driver_id)
/** Lines of a lap: the line, and each sector line. */
const linesOf = (column: Column) => (sectorsToo.value ? column.open.lane.sectors.length : 1)
const nextLine = (column: Column) => (column.presses.length ? column.presses.length % linesOf(column) : 0)
const lineWords = (column: Column, line: number) =>
  line === 0 ? 'the line' : `the start of ${column.open.lane.sectors[line]}`

async function open(who: { driver_id?: string; guest?: string; new_run?: boolean }, at = columns.length) {
  opening.value = true
  trouble.value = null
  try {
    const made: Column = { open: await openLane(props.id, who), presses: [], last: '' }
    if (at < columns.length) columns.splice(at, 1, made)
    else columns.push(made)
  } catch (error) {
    trouble.value = error as Error
  } finally {
    opening.value = false
  }
}
function press(column: Column, now: number) {
  const before = [...column.presses].reverse().find((item) => item !== null)
  if (before !== undefined && before !== null && now - before < 300) return // a key that bounced
  column.presses.push(now)
  column.last = lineWords(column, (column.presses.length - 1) % linesOf(column))
  if (column.presses.length > linesOf(column)) {
    const first = column.presses[0]!
    // On a clock of the lap's own: it begins at 0.
    const presses = column.presses.map((item) => (item === null ? null : Math.round((item - first) * 1000)))
    column.open.add(lapTime(presses[presses.length - 1] ?? 0), {
      presses_us: presses,
      ended_at: new Date().toISOString(),
    })
    column.presses = [now]
  }
}
const pressNow = (column: Column) => press(column, performance.now())
function miss(column: Column) {
  // The line itself can't be missed: without it there is no lap.
  if (nextLine(column) > 0) column.presses.push(null)
  else column.presses = []
}
function takeBack(column: Column) {
  column.presses.pop()
}
function onKey(event: KeyboardEvent) {
  if (
    (event.target as HTMLElement).closest('input, select, textarea, [role=dialog]') ||
    event.ctrlKey ||
    event.metaKey ||
    event.altKey ||
    event.repeat
  )
    return
  const digit = /^(?:Digit|Numpad)([1-9])$/.exec(event.code)?.[1]
  if (clipRuns.value && (event.code === 'Space' || digit)) {
    event.preventDefault()
    clipPresses.value.push(Math.round((performance.now() - clipBegan.value) * 1000))
    return
  }
  if (!digit) return
  const column = columns[Number(digit) - 1]
  if (!column) return
  event.preventDefault()
  if (event.shiftKey) miss(column)
  else press(column, performance.now())
}
onMounted(() => {
  window.addEventListener('keydown', onKey)
  if (typeof route.query.driver === 'string') void open({ driver_id: route.query.driver })
})
onBeforeUnmount(() => {
  window.removeEventListener('keydown', onKey)
  void settled()
})

// How the person presses, measured against a clip.
const reaction = useQuery({ queryKey: ['reaction'], queryFn: () => answer(api.GET('/api/me/reaction')) })
const seed = ref(1 + (Date.now() % 997))
const clipShown = ref(false)
const clipRuns = ref(false)
const clipBegan = ref(0)
const clipPresses = ref<number[]>([])
const player = ref<InstanceType<typeof PracticeClip>>()
const clip = useQuery({
  queryKey: ['clip', () => props.id, seed],
  enabled: clipShown,
  queryFn: () =>
    answer(
      api.GET('/api/combinations/{combination_id}/clip', {
        params: { path: { combination_id: props.id }, query: { seed: seed.value } },
      }),
    ),
})
const measure = useMutation({
  mutationFn: () =>
    answer(
      api.PUT('/api/me/reaction', {
        body: {
          truths_us: (clip.data.value?.crossings ?? []).map((item) => item.at_us),
          presses_us: clipPresses.value,
        },
      }),
    ),
  onSuccess: (found) => queries.setQueryData(['reaction'], found),
})
function began(at: number) {
  clipBegan.value = at
  clipPresses.value = []
  clipRuns.value = true
  measure.reset()
}
function ended() {
  clipRuns.value = false
  measure.mutate()
}
/** Laps of the clip as they were timed, beside what they were. */
const compared = computed(() => {
  if (clipRuns.value || !clipPresses.value.length) return []
  const lines = (clip.data.value?.crossings ?? []).filter((item) => item.line === 0).map((item) => item.at_us)
  const nearest = (truth: number) =>
    clipPresses.value.reduce((best, at) => (Math.abs(at - truth) < Math.abs(best - truth) ? at : best), Infinity)
  return lines.slice(1).map((to, index) => {
    const from = lines[index]!
    const timed = nearest(to) - nearest(from)
    return {
      truth: to - from,
      timed,
      met: Math.abs(nearest(to) - to) < 1_000_000 && Math.abs(nearest(from) - from) < 1_000_000,
    }
  })
})
const again = () => {
  seed.value += 1
  clipPresses.value = []
}
const plusMinus = (us: number) => (us / 1_000_000).toFixed(2)
</script>

<template>
  <DriveHead :id="id" title="Time by hand" still />
  <SeatNote />
  <TroubleNote :error="trouble ?? reaction.error.value" />
  <div class="sheet part mine">
    <p v-if="reaction.data.value">
      <template v-if="reaction.data.value.presses"
        >You press {{ Math.abs(reaction.data.value.offset_us / 1_000_000).toFixed(2) }} s
        {{ reaction.data.value.offset_us >= 0 ? 'late' : 'early' }}, which cancels, with a scatter of
        {{ plusMinus(reaction.data.value.spread_us) }} s, which doesn’t: your times carry
        <b>± {{ plusMinus(reaction.data.value.plus_minus_us) }} s</b>.
        <span class="quiet"
          >Measured {{ moment(reaction.data.value.measured_at ?? '') }} on
          {{ reaction.data.value.presses }} lines.</span
        ></template
      >
      <template v-else
        >You weren’t measured yet: your times carry ± {{ plusMinus(reaction.data.value.plus_minus_us) }} s, which is
        supposed of anybody. Half a minute with a clip tells.</template
      >
      <button type="button" class="link" @click="clipShown = !clipShown">
        {{ clipShown ? 'Put the clip away' : 'Measure me with a clip' }}
      </button>
    </p>
    <template v-if="clipShown">
      <TroubleNote :error="clip.error.value" :again="() => clip.refetch()" />
      <PracticeClip
        v-if="clip.data.value"
        ref="player"
        :key="seed"
        :clip="clip.data.value"
        @began="began"
        @ended="ended"
      />
      <div class="buttons">
        <WorkButton size="small" color="primary" :disabled="clipRuns || !clip.data.value" @click="player?.play()"
          >Start the clip</WorkButton
        >
        <span class="quiet" role="status">{{
          clipRuns
            ? `${clipPresses.length} presses. Space at each line.`
            : 'Three laps: press Space whenever the car crosses a line. Nothing of it is kept but how you press.'
        }}</span>
      </div>
      <TroubleNote :error="measure.error.value" />
      <table v-if="compared.length" class="ledger compared">
        <caption class="visually-hidden">
          The laps of the clip, timed by you
        </caption>
        <thead>
          <tr>
            <th scope="col">Lap of the clip</th>
            <th scope="col" class="number">Timed by you</th>
            <th scope="col" class="number">It was</th>
            <th scope="col" class="number">Off by</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(item, index) in compared" :key="index">
            <td>{{ index + 1 }}</td>
            <td class="number">{{ item.met ? lapTime(item.timed) : 'missed' }}</td>
            <td class="number">{{ lapTime(item.truth) }}</td>
            <td class="number">{{ item.met ? gap(item.timed - item.truth) : '–' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="compared.length"><button type="button" class="link" @click="again">Another clip</button></p>
    </template>
  </div>

  <p v-if="columns.length" class="quiet keys">
    <kbd>1</kbd
    ><template v-if="columns.length > 1">
      to <kbd>{{ columns.length }}</kbd></template
    >
    whenever {{ columns.length > 1 ? 'that driver' : 'the driver' }} crosses the next line; with <kbd>Shift</kbd> a line
    was missed.
    <label class="choice"
      ><input v-model="sectorsToo" type="checkbox" :disabled="columns.some((column) => column.presses.length > 0)" />
      sector lines too</label
    >
  </p>
  <div class="columns">
    <section
      v-for="(column, at) in columns"
      :key="column.open.lane.driver_id + column.open.lane.run"
      class="sheet lane"
      :aria-label="`Times of ${column.open.lane.driver}`"
    >
      <h2>
        <kbd>{{ at + 1 }}</kbd> {{ column.open.lane.driver
        }}<span v-if="column.open.lane.guest" class="quiet"> guest</span>
      </h2>
      <p class="quiet small">
        <RouterLink :to="runPlace(id, column.open.key)">run {{ column.open.lane.run }}</RouterLink
        ><template v-if="column.open.lane.purpose"> · {{ PURPOSES[column.open.lane.purpose] }}</template>
      </p>
      <button type="button" class="press" @click="pressNow(column)">
        <span class="quiet small">next</span> {{ lineWords(column, nextLine(column)) }}
        <span class="quiet small" role="status">{{
          column.presses.length
            ? `lap ${column.open.next} runs${column.last ? `; last: ${column.last}` : ''}`
            : 'not begun'
        }}</span>
      </button>
      <p class="acts small">
        <button type="button" class="link" :disabled="!column.presses.length" @click="takeBack(column)">
          Take the press back<span class="visually-hidden"> of {{ column.open.lane.driver }}</span>
        </button>
        <button type="button" class="link" :disabled="!column.presses.length" @click="miss(column)">
          Missed it<span class="visually-hidden">: {{ column.open.lane.driver }}</span>
        </button>
        <button type="button" class="link" @click="columns.splice(at, 1)">
          Close<span class="visually-hidden"> the lane of {{ column.open.lane.driver }}</span>
        </button>
      </p>
      <LaneLaps :open="column.open" refused-act="Leave it out" @refused="column.open.drop($event)" />
    </section>
  </div>
  <LaneChooser
    v-if="columns.length < MOST"
    :taken="taken()"
    :busy="opening"
    :first="!columns.length"
    @open="open($event)"
  />
  <p class="quiet small">
    Times by hand are in no ideal lap, unless the combination’s settings say so; everything else they may tell, with
    their ±.
  </p>
</template>

<style scoped>
.mine {
  max-width: 980px;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 270px), 1fr));
  gap: 12px;
}
.lane {
  padding: 8px 12px 10px;
}
.press {
  display: grid;
  justify-items: start;
  width: 100%;
  font-size: 1.4rem;
  line-height: 1.25;
  padding: 8px 12px;
  margin: 4px 0;
  border: 1.5px solid var(--ink);
  border-radius: 3px;
  background: var(--paper);
}
.press:active {
  background: var(--sheet);
  border-color: var(--accent);
}
.compared {
  width: auto;
}
.small {
  font-size: 0.86rem;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.acts .link:disabled {
  color: var(--quiet);
  text-decoration: none;
}
.keys {
  margin-bottom: 8px;
}
.choice {
  margin-left: 14px;
}
</style>
