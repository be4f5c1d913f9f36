<script setup lang="ts">
import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { RouterLink, useRouter } from 'vue-router'
import { answer, api, type BoardNeed } from '@/shared/api/client'
import { clock, dayOf, inWords, lapTime, moment, zoneName } from '@/shared/format'
import CellPane from '@/features/week/parts/CellPane.vue'
import ComingStrip from '@/features/week/parts/ComingStrip.vue'
import EntryDialog from '@/features/week/parts/EntryDialog.vue'
import NeedsList from '@/features/week/parts/NeedsList.vue'
import WeekHead from '@/features/week/parts/WeekHead.vue'
import AskedDialog from '@/features/drive/parts/AskedDialog.vue'
import SeatNote from '@/features/drive/parts/SeatNote.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import { declarePlace, isComing } from '@/features/plan/plan'
import { useMe } from '@/shared/session'

const me = useMe()
const router = useRouter()
const zone = computed(() => zoneName())
const board = useQuery({
  queryKey: ['board', () => dayOf(new Date()), zone],
  placeholderData: keepPreviousData,
  refetchInterval: 60_000,
  queryFn: () => answer(api.GET('/api/board', { params: { query: { zone: zone.value } } })),
})
const own = computed(() => board.data.value?.drivers[0])
const mine = computed(() =>
  (board.data.value?.columns ?? []).flatMap((column, index) => {
    const cell = own.value?.cells[index]
    return cell && (cell.entry || cell.laps) ? [{ column, cell }] : []
  }),
)
const starts = computed(() =>
  mine.value
    .flatMap(({ column, cell }) =>
      (cell.entry?.starts ?? []).map((start) => ({ start, column, entry: cell.entry!.id })),
    )
    .filter(({ start }) => new Date(start) > new Date(board.data.value!.now))
    .sort((a, b) => new Date(a.start).getTime() - new Date(b.start).getTime()),
)
const planned = useQuery({ queryKey: ['plan', 'coming'], queryFn: () => answer(api.GET('/api/plan/coming')) })
const blocks = computed(() => planned.data.value?.items ?? [])
const first = computed(() => blocks.value.find(isComing))
const editing = ref<string>()
const asking = ref<string>()
const edited = computed(() => mine.value.find(({ column, cell }) => column.week_id === editing.value && cell.entry))
function act(need: BoardNeed) {
  const there = mine.value.find(({ column }) => column.week_id === need.week_id)
  if (need.kind === 'no_laps' && need.combination_id)
    void router.push({ name: 'add-laps', params: { id: need.combination_id } })
  else if (need.kind.startsWith('ask_') && need.combination_id) asking.value = need.combination_id
  else if (need.kind === 'no_start' && own.value)
    void router.push({ name: 'driver-profile', params: { id: own.value.id } })
  else if (need.kind === 'conditions' && need.combination_id)
    void router.push({ name: 'combination', params: { id: need.combination_id } })
  else if (there?.cell.entry) editing.value = need.week_id
  else void router.push({ name: 'series-week', params: { id: need.week_id } })
}
</script>

<template>
  <WeekHead title="My week" />
  <SeatNote />
  <SkeletonRows v-if="board.isPending.value" :rows="10" label="Loading your week" />
  <TroubleNote :error="board.error.value" :again="() => board.refetch()" />
  <template v-if="board.data.value">
    <section v-if="!own" class="sheet empty">
      <h2>Which driver are you?</h2>
      <p>
        Your account isn't matched with a driver yet. Ask your manager to do that on the People page; then your starts,
        laps and figures stand here.
      </p>
    </section>
    <template v-else>
      <NeedsList :board="board.data.value" title="Asked of you" @act="act" />
      <section v-if="blocks.length" class="starts" aria-labelledby="blocks-title">
        <h2 id="blocks-title">Your practice</h2>
        <ol>
          <li v-for="block in blocks" :key="block.id" class="sheet">
            <b>{{ moment(block.begins_at) }}</b>
            <span class="quiet"
              >to {{ clock(block.ends_at)
              }}<template v-if="block === first">, {{ inWords(block.begins_at, board.data.value.now) }}</template></span
            >
            <span v-if="block.became" class="became" :class="block.state">{{ block.became }}</span>
            <span class="where"
              >{{ block.words }}: {{ block.place || block.series
              }}<template v-if="block.rig">, {{ block.rig }}</template
              ><template v-if="block.coach">, {{ block.coach }}</template></span
            >
            <span v-if="isComing(block)" class="where quiet"
              >{{ block.pass_mark }}
              <RouterLink v-if="declarePlace(block)" :to="declarePlace(block)!"
                >Declare the run<span class="visually-hidden">: {{ block.words }}</span></RouterLink
              ></span
            >
          </li>
        </ol>
        <p><RouterLink to="/plan">Your plan, and why</RouterLink></p>
      </section>
      <section class="starts" aria-labelledby="starts-title">
        <h2 id="starts-title">Your starts</h2>
        <p v-if="!starts.length" class="quiet">No start to come. Choose one where you are entered below.</p>
        <ol v-else>
          <li v-for="item in starts" :key="item.start + item.column.week_id" class="sheet">
            <b>{{ moment(item.start) }}</b> <span class="quiet">{{ inWords(item.start, board.data.value.now) }}</span>
            <span class="where"
              >{{ item.column.series }}: {{ item.column.place }}
              <RouterLink :to="{ name: 'race-sheet', params: { id: item.entry } }"
                >Race sheet<span class="visually-hidden"> of {{ item.column.place }}</span></RouterLink
              ></span
            >
          </li>
        </ol>
      </section>
      <section aria-labelledby="standing-title">
        <h2 id="standing-title">Where you stand</h2>
        <p v-if="!mine.length" class="quiet">You aren't entered in a week that runs, and have no laps for one.</p>
        <div class="panes">
          <div v-for="{ column, cell } in mine" :key="column.week_id">
            <CellPane
              :board="board.data.value"
              :driver="own"
              :column="column"
              :cell="cell"
              :may-change="false"
              own
              @open="editing = column.week_id"
            />
            <p v-if="column.best_us !== null" class="quiet team">
              The team's best lap here: {{ lapTime(column.best_us) }}.
            </p>
          </div>
        </div>
      </section>
      <p class="quiet care">
        Tired, sore hands, a bad evening? Stop: a bad session is data, not a verdict.
        <RouterLink :to="{ name: 'driver-profile', params: { id: own.id } }">Your hours and how you drive</RouterLink>
      </p>
    </template>
    <ComingStrip :board="board.data.value" class="strip" />
    <AskedDialog v-if="asking" :id="asking" @close="asking = undefined" />
    <EntryDialog
      v-if="edited && own"
      :driver="me.data.value?.person ?? own.name"
      :column="edited.column"
      :cell="edited.cell"
      :board="board.data.value"
      @close="editing = undefined"
    />
  </template>
</template>

<style scoped>
h2 {
  font-size: 1.02rem;
  margin: 10px 0 4px;
}
ol {
  list-style: none;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
}
li {
  padding: 6px 12px;
}
.where {
  display: block;
  font-size: 0.92em;
}
.panes {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 300px), 1fr));
  gap: 10px;
  align-items: start;
}
.team {
  margin: 3px 2px 0;
  font-size: 0.9em;
}
.care {
  margin-top: 10px;
}
.strip {
  margin-top: 10px;
}
</style>
