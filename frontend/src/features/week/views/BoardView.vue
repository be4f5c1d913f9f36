<script setup lang="ts">
import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, version, type BoardDriver, type BoardNeed } from '@/shared/api/client'
import type { BoardOrder, BoardShow } from '@/shared/api/words'
import { dayOf, plainDay, zoneName } from '@/shared/format'
import BoardGrid from '@/features/week/parts/BoardGrid.vue'
import CellPane from '@/features/week/parts/CellPane.vue'
import ComingStrip from '@/features/week/parts/ComingStrip.vue'
import EnterDialog from '@/features/week/parts/EnterDialog.vue'
import EntryDialog from '@/features/week/parts/EntryDialog.vue'
import NeedsList from '@/features/week/parts/NeedsList.vue'
import WeekTabs from '@/features/week/parts/WeekTabs.vue'
import AskedDialog from '@/features/drive/parts/AskedDialog.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TargetDialog from '@/features/find/parts/TargetDialog.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { useMaking } from '@/features/plan/plan'
import { preferences, takePreferences } from '@/shared/preferences'

const queries = useQueryClient()
const { make } = useMaking()
/** The plan of the weeks that are shown: it is made while its page opens. */
function plan() {
  const shown = day.value === today() ? undefined : day.value
  make.mutate({ day: shown })
  void router.push({ name: 'plan', query: shown ? { day: shown } : {} })
}
const route = useRoute()
const router = useRouter()
const today = () => dayOf(new Date())
const day = computed(() =>
  typeof route.query.week === 'string' && /^\d{4}-\d\d-\d\d$/.test(route.query.week) ? route.query.week : today(),
)
const zone = computed(() => zoneName())
const board = useQuery({
  queryKey: ['board', day, zone],
  placeholderData: keepPreviousData,
  refetchInterval: 60_000,
  queryFn: () =>
    answer(
      api.GET('/api/board', {
        params: { query: { day: day.value === today() ? undefined : day.value, zone: zone.value } },
      }),
    ),
})
const visit = useQuery({
  queryKey: ['visit'],
  staleTime: Infinity,
  refetchOnWindowFocus: false,
  queryFn: () => answer(api.POST('/api/board/visit')),
})
const before = computed(() => visit.data.value?.before_at ?? null)

// BoardOrder and filter: in the address, and kept for the next time.
const ORDERS: Record<BoardOrder, string> = {
  name: 'by name',
  gap: 'by gap to the target',
  start: 'by next start',
  open: 'by what is open',
}
const SHOWS: Record<BoardShow, string> = {
  all: 'all drivers',
  entered: 'who is entered',
  open: 'where something is open',
}
const order = computed(
  () =>
    (String(route.query.order ?? preferences.board_order ?? 'name') in ORDERS
      ? String(route.query.order ?? preferences.board_order ?? 'name')
      : 'name') as BoardOrder,
)
const show = computed(
  () =>
    (String(route.query.show ?? preferences.board_show ?? 'all') in SHOWS
      ? String(route.query.show ?? preferences.board_show ?? 'all')
      : 'all') as BoardShow,
)
/** What is chosen is kept even where somebody leaves the page at once. */
const prefer = useMutation({
  mutationFn: (body: object) => answer(api.PUT('/api/me/preferences', { body: body as never, keepalive: true })),
  onSuccess: takePreferences,
})
function choose(query: Record<string, string>, kept: object) {
  void router.replace({ query: { ...route.query, ...query } })
  prefer.mutate(kept)
}
const keyOf: Record<BoardOrder, (driver: BoardDriver) => number> = {
  name: () => 0,
  gap: (driver) =>
    -Math.max(...driver.cells.map((cell) => (cell.entry && cell.gap_us !== null ? cell.gap_us : -Infinity))),
  start: (driver) =>
    Math.min(...driver.cells.map((cell) => (cell.next_start ? new Date(cell.next_start).getTime() : Infinity))),
  open: (driver) => -driver.cells.reduce((sum, cell) => sum + cell.open.length, 0),
}
const sorted = (list: BoardDriver[]) =>
  [...list]
    .sort((a, b) => keyOf[order.value](a) - keyOf[order.value](b) || a.name.localeCompare(b.name))
    .map((driver) => driver.id)
/** The order as it was when somebody began to read: it stays until they ask for another. */
const still = ref<string[]>([])
watch(
  [() => board.data.value?.day, order, () => board.data.value?.drivers.length],
  () => (still.value = sorted(board.data.value?.drivers ?? [])),
  { immediate: true },
)
const moved = computed(() => !!board.data.value && sorted(board.data.value.drivers).join() !== still.value.join())
const drivers = computed(() => {
  const list = board.data.value?.drivers ?? []
  const kept =
    show.value === 'all'
      ? list
      : list.filter((driver) => driver.cells.some((cell) => (show.value === 'open' ? cell.open.length : cell.entry)))
  return [...kept].sort((a, b) => still.value.indexOf(a.id) - still.value.indexOf(b.id))
})

const place = ref<{ driver: string; week: string }>()
const chosen = computed(() => {
  const data = board.data.value
  const driver = drivers.value.find((item) => item.id === place.value?.driver) ?? drivers.value[0]
  const index = Math.max(0, data?.columns.findIndex((item) => item.week_id === place.value?.week) ?? 0)
  const column = data?.columns[index]
  const cell = driver?.cells[index]
  return driver && column && cell ? { driver, column, cell } : undefined
})
const editing = ref<{ driver: string; week: string }>()
const edited = computed(() => {
  const driver = board.data.value?.drivers.find((item) => item.id === editing.value?.driver)
  const index = board.data.value?.columns.findIndex((item) => item.week_id === editing.value?.week) ?? -1
  const column = board.data.value?.columns[index]
  const cell = driver?.cells[index]
  return driver && column && cell?.entry ? { driver, column, cell } : undefined
})
const entering = ref<{ series?: string; week?: string }>()
const targeting = ref<string>()
const asking = ref<string>()

const said = ref('')
const settle = () =>
  Promise.all(['board', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
const change = useMutation({
  mutationFn: async (act: {
    kind: 'enter' | 'remove' | 'move'
    driver: BoardDriver
    column: number
    to?: { driver: BoardDriver; column: number }
  }) => {
    const weekId = board.data.value!.columns[act.column]!.week_id
    const entry = act.driver.cells[act.column]?.entry
    if (act.kind === 'enter')
      await answer(
        api.POST('/api/entries', { body: { week_ids: [weekId], driver_ids: [act.driver.id], importance: 'want' } }),
      )
    else if (act.kind === 'remove') await answer(api.POST('/api/entries/remove', { body: { entry_ids: [entry!.id] } }))
    else
      await answer(
        api.POST('/api/entries/{entered_id}/move', {
          params: { path: { entered_id: entry!.id }, header: version(entry!.version) },
          body: { week_id: board.data.value!.columns[act.to!.column]!.week_id, driver_id: act.to!.driver.id },
        }),
      )
    return act
  },
  onSuccess: (act) => {
    const series = board.data.value!.columns[(act.to ?? act).column]!.series
    said.value = {
      enter: `Entered ${act.driver.name} in ${series}.`,
      remove: `Took ${act.driver.name} out of ${series}. Ctrl Z brings it back.`,
      move: `Moved the entry to ${act.to?.driver.name}, ${series}.`,
    }[act.kind]
  },
  onSettled: settle,
})

function act(need: BoardNeed) {
  const data = board.data.value!
  const column = data.columns.findIndex((item) => item.week_id === need.week_id)
  const driver = data.drivers.find((item) => need.entry_ids.includes(item.cells[column]?.entry?.id ?? ''))
  if (need.kind === 'no_target' && need.combination_id) targeting.value = need.combination_id
  else if (need.kind.startsWith('ask_') && need.combination_id) asking.value = need.combination_id
  else if (need.kind === 'no_references' && need.layout_id)
    void router.push({ name: 'track', params: { id: need.layout_id }, query: { car: need.car_id } })
  else if (need.kind === 'no_entries') entering.value = { series: data.columns[column]?.series_id, week: need.week_id }
  else if (need.kind === 'no_laps' && need.combination_id)
    void router.push({ name: 'add-laps', params: { id: need.combination_id } })
  else if (need.kind === 'no_track') void router.push({ name: 'new-combination' })
  else if (need.kind === 'no_car' && need.car_id) void router.push({ name: 'car', params: { id: need.car_id } })
  else if (need.kind === 'no_start' && driver) void router.push({ name: 'driver-profile', params: { id: driver.id } })
  else if (need.kind === 'conditions' && need.combination_id)
    void router.push({
      name: 'combination',
      params: { id: need.combination_id },
      query: { driver: driver?.id, sessions: '1' },
    })
  else if (driver) {
    place.value = { driver: driver.id, week: need.week_id }
    editing.value = { driver: driver.id, week: need.week_id }
  } else void router.push({ name: 'series-week', params: { id: need.week_id } })
}

function turn(weeks: number) {
  const at = new Date(`${day.value}T12:00:00Z`)
  at.setUTCDate(at.getUTCDate() + 7 * weeks)
  const to = at.toISOString().slice(0, 10)
  void router.replace({ query: { ...route.query, week: to === today() ? undefined : to } })
}
function onKey(event: KeyboardEvent) {
  if (event.ctrlKey || event.metaKey || event.altKey || event.shiftKey || event.defaultPrevented) return
  // Within a table, a dialog or a field the arrows have their own meaning.
  const busy = (event.target as HTMLElement).closest(
    'input, textarea, select, [role=grid], [role=dialog], [role=combobox], .v-overlay',
  )
  if (event.key === 'PageUp' || event.key === 'PageDown') {
    if (!(event.target as HTMLElement).closest('[role=grid]')) return
  } else if (busy || (event.key !== 'ArrowLeft' && event.key !== 'ArrowRight')) return
  event.preventDefault()
  turn(event.key === 'ArrowLeft' || event.key === 'PageUp' ? -1 : 1)
}
useEventListener(window, 'keydown', onKey)
</script>

<template>
  <div class="top">
    <h1>Week</h1>
    <div class="turn" role="group" aria-label="Which week">
      <button type="button" aria-label="The week before" title="The week before (←)" @click="turn(-1)">◂</button>
      <span class="when" aria-live="polite">{{ plainDay(day) }}</span>
      <button type="button" aria-label="The week after" title="The week after (→)" @click="turn(1)">▸</button>
      <button
        v-if="day !== today()"
        type="button"
        class="link"
        @click="router.replace({ query: { ...route.query, week: undefined } })"
      >
        Today
      </button>
    </div>
    <WeekTabs />
    <div class="choices">
      <label
        ><span class="visually-hidden">Order</span
        ><select
          :value="order"
          @change="
            choose(
              { order: ($event.target as HTMLSelectElement).value },
              { board_order: ($event.target as HTMLSelectElement).value },
            )
          "
        >
          <option v-for="(words, key) in ORDERS" :key="key" :value="key">{{ words }}</option>
        </select></label
      >
      <label
        ><span class="visually-hidden">Show</span
        ><select
          :value="show"
          @change="
            choose(
              { show: ($event.target as HTMLSelectElement).value },
              { board_show: ($event.target as HTMLSelectElement).value },
            )
          "
        >
          <option v-for="(words, key) in SHOWS" :key="key" :value="key">{{ words }}</option>
        </select></label
      >
      <v-btn size="small" variant="outlined" color="primary" @click="entering = {}">Enter drivers</v-btn>
      <v-btn size="small" variant="outlined" color="primary" @click="plan">Make the plan</v-btn>
    </div>
  </div>
  <SkeletonRows v-if="board.isPending.value" :rows="14" label="Loading the board" />
  <TroubleNote :error="board.error.value" :again="() => board.refetch()" />
  <TroubleNote :error="change.error.value" />
  <p class="visually-hidden" role="status">{{ said }}</p>
  <template v-if="board.data.value">
    <section v-if="!board.data.value.columns.length" class="sheet empty">
      <h2>Nothing is on in this week</h2>
      <p>
        Import a season file or write a series' weeks by hand; then this page shows who drives what, where everybody
        stands, and what needs you.
      </p>
      <v-btn color="primary" :to="{ name: 'seasons' }">Seasons</v-btn>
    </section>
    <template v-else>
      <NeedsList :board="board.data.value" title="Needs you" @act="act" />
      <p v-if="moved" class="anew">
        <button type="button" class="link" @click="still = sorted(board.data.value.drivers)">
          The order has changed: order anew
        </button>
      </p>
      <section v-if="!board.data.value.drivers.length" class="sheet empty">
        <h2>No driver yet</h2>
        <p>Drivers come with the lap files, or by hand on the Team page.</p>
        <v-btn color="primary" :to="{ name: 'team' }">Team</v-btn>
      </section>
      <div v-else class="pair">
        <div>
          <BoardGrid
            v-model="place"
            :board="board.data.value"
            :drivers="drivers"
            :before="before"
            may-change
            @open="
              (driver, column) => (editing = { driver: driver.id, week: board.data.value!.columns[column]!.week_id })
            "
            @enter="(driver, column) => change.mutate({ kind: 'enter', driver, column })"
            @remove="(driver, column) => change.mutate({ kind: 'remove', driver, column })"
            @move="(from, to) => change.mutate({ kind: 'move', ...from, to })"
          />
          <p v-if="!drivers.length" class="quiet note">No driver here fits the filter “{{ SHOWS[show] }}”.</p>
        </div>
        <div class="beside">
          <CellPane
            v-if="chosen"
            :board="board.data.value"
            v-bind="chosen"
            may-change
            @open="editing = { driver: chosen.driver.id, week: chosen.column.week_id }"
            @enter="
              change.mutate({
                kind: 'enter',
                driver: chosen.driver,
                column: board.data.value!.columns.indexOf(chosen.column),
              })
            "
          />
        </div>
      </div>
    </template>
    <ComingStrip
      v-if="board.data.value.columns.length || board.data.value.coming.some((step) => step.weeks.length)"
      :board="board.data.value"
      class="strip"
    />
    <EntryDialog
      v-if="edited"
      :driver="edited.driver.name"
      :column="edited.column"
      :cell="edited.cell"
      :board="board.data.value"
      @close="editing = undefined"
    />
    <EnterDialog v-if="entering" :series-id="entering.series" :week-id="entering.week" @close="entering = undefined" />
    <AskedDialog v-if="asking" :id="asking" @close="asking = undefined" />
    <TargetDialog v-if="targeting" :id="targeting" @close="targeting = undefined" />
  </template>
</template>

<style scoped src="@/features/week/board.css"></style>
