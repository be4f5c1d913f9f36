<script setup lang="ts">
import { useMutation } from '@tanstack/vue-query'
import { computed, nextTick, ref } from 'vue'
import { RouterLink, useRoute } from 'vue-router'
import { answer, api } from '@/shared/api/client'
import { seconds } from '@/features/fix/clinic'
import { clock, dayOf, moment } from '@/shared/format'
import BlockPane from '@/features/plan/parts/BlockPane.vue'
import PlanLanes from '@/features/plan/parts/PlanLanes.vue'
import WhatIfPart from '@/features/plan/parts/WhatIfPart.vue'
import JobProgress from '@/shared/parts/JobProgress.vue'
import SkeletonRows from '@/shared/parts/SkeletonRows.vue'
import TroubleNote from '@/shared/parts/TroubleNote.vue'
import WorkButton from '@/shared/parts/WorkButton.vue'
import {
  DAY,
  useBlockChange,
  useMaking,
  usePlan,
  useRoom,
  useWhatIf,
  type RoomMaker,
  type Step,
} from '@/features/plan/plan'
import { useMay } from '@/shared/session'

/** The practice plan of the running weeks: made in one go, changed by hand, made anew without losing what was put somewhere. */
const route = useRoute()
const may = useMay()
const mayMake = computed(() => may('plan.make'))
const mayChange = computed(() => may('plan.change'))
const day = computed(() => (typeof route.query.day === 'string' ? route.query.day : undefined))
/** Tuesday of the week after: by then all series have turned over. */
const dayAfter = computed(() => {
  const from = day.value ? new Date(`${day.value}T12:00:00Z`) : new Date()
  return dayOf(new Date(from.getTime() + (9 - (from.getUTCDay() || 7)) * DAY))
})
const asked = usePlan(() => day.value)
const plan = computed(() => asked.data.value)
const { make, making } = useMaking()
const change = useBlockChange()
const step = (id: string, to: Step) => change.mutate({ id, step: to })
const whose = ref('')
const chosen = ref('')
const block = computed(() => plan.value?.blocks.find((item) => item.id === chosen.value))
const nameOf = (id: string) => plan.value?.lanes.find((lane) => lane.id === id)?.name ?? ''
const share = computed(() => (plan.value?.bound_us ? (plan.value.value_us ?? 0) / plan.value.bound_us : 1))
const broken = computed(() => plan.value?.blocks.filter((item) => item.broken.length).length ?? 0)
const left = computed(() => plan.value?.left ?? [])
const shownLeft = ref(12)
const why = useMutation({
  mutationFn: (key: string) => answer(api.GET('/api/plan/why', { params: { query: { key, day: day.value } } })),
})
const { ask: room, looking: lookingForRoom } = useRoom()
const { changes, ask: whatIf } = useWhatIf()
const wondering = ref(false)
async function wonder() {
  wondering.value = true
  await nextTick()
  document.getElementById('what-if-title')?.scrollIntoView({ block: 'start' })
}
/** What would make room, beside the present plan. */
function tryOut(maker: RoomMaker) {
  changes.value = [
    {
      kind: 'more_time',
      driver_id: maker.driver_id,
      begins_at: maker.begins_at,
      ends_at: maker.ends_at,
      week_id: null,
    },
  ]
  whatIf.mutate(day.value)
  void wonder()
}
</script>

<template>
  <div class="top">
    <h1>Plan</h1>
    <p class="links">
      <RouterLink :to="{ name: 'readiness', query: route.query }">Readiness</RouterLink>
      <RouterLink :to="{ name: 'outlook' }">Outlook</RouterLink>
      <RouterLink v-if="mayMake" :to="{ name: 'lineup', query: route.query }">Who drives</RouterLink>
      <button v-if="mayMake" type="button" class="link" :aria-expanded="wondering || !!changes.length" @click="wonder">
        What if…
      </button>
      <RouterLink v-if="mayMake" :to="{ name: 'plan-rules' }">Rules and blocks</RouterLink>
      <RouterLink v-if="day" :to="{ name: 'plan' }">This week</RouterLink>
      <RouterLink :to="{ name: 'plan', query: { day: dayAfter } }">{{
        day ? 'The week after' : 'Next week'
      }}</RouterLink>
    </p>
    <div v-if="mayMake" class="make">
      <label
        >For
        <select v-model="whose">
          <option value="">everybody</option>
          <option v-for="lane in plan?.lanes" :key="lane.id" :value="lane.id">{{ lane.name }}</option>
        </select></label
      >
      <WorkButton
        color="primary"
        :loading="make.isPending.value"
        @click="make.mutate({ day, drivers: whose ? [whose] : undefined })"
        >{{ plan?.made_at ? 'Plan again' : 'Make the plan' }}</WorkButton
      >
    </div>
  </div>
  <JobProgress v-if="making" :job="making" />
  <TroubleNote
    :error="asked.error.value ?? make.error.value ?? change.error.value"
    :again="asked.error.value ? () => asked.refetch() : undefined"
  />
  <SkeletonRows v-if="asked.isPending.value" :rows="9" label="Looking at what is open" />
  <template v-if="plan">
    <p v-if="plan.made_at" class="quiet said" role="status">
      Made {{ moment(plan.made_at) }}: worth {{ seconds(plan.value_us ?? 0) }} a lap over all drivers<template
        v-if="plan.proven"
        >; no plan is worth more</template
      ><template v-else
        >; none can be worth more than {{ seconds(plan.bound_us ?? 0) }} ({{ (100 * share).toFixed(0) }} % of it
        reached)</template
      >.
      <template v-if="broken">
        <span class="bad">{{
          broken === 1 ? 'One block breaks a rule.' : `${broken} blocks break a rule.`
        }}</span></template
      >
    </p>
    <section v-if="!plan.lanes.length" class="sheet empty">
      <h2>Nobody is entered in the weeks that run</h2>
      <p>Who is entered has a race to practise for.</p>
      <v-btn color="primary" to="/">Enter drivers on the board</v-btn>
    </section>
    <section v-else-if="!plan.blocks.length && !plan.made_at && !making" class="sheet empty">
      <h2>There is no plan yet</h2>
      <p>It takes free time, race starts, rigs and what is open with each driver, and says what to practise when.</p>
    </section>
    <div v-if="plan.lanes.length" class="beside" :class="{ pane: block }">
      <section class="sheet lanes-part" aria-label="Lanes">
        <PlanLanes
          :plan="plan"
          :may="mayChange"
          :chosen="chosen"
          @choose="chosen = chosen === $event ? '' : $event"
          @step="step"
        />
      </section>
      <BlockPane
        v-if="block"
        :block="block"
        :driver="nameOf(block.driver_id)"
        :may="mayChange"
        :day="day"
        @step="step"
        @close="chosen = ''"
      />
    </div>
    <details v-if="plan.changed.length" class="sheet part">
      <summary>What changed against the plan before: {{ plan.changed.length }}</summary>
      <ul>
        <li v-for="item in plan.changed" :key="item.words">
          {{ item.words }}<template v-if="item.begins_at"> {{ moment(item.begins_at) }}</template>
        </li>
      </ul>
    </details>
    <section v-if="left.length" class="sheet part" aria-labelledby="left-title">
      <h2 id="left-title">What found no place</h2>
      <ul class="left">
        <li v-for="item in left.slice(0, shownLeft)" :key="item.key">
          <b>{{ item.driver }}</b>, {{ item.words }} ({{ item.minutes }} min). {{ item.reason }}
          <span class="quiet">{{ item.why }}</span>
          <button
            v-if="mayMake"
            type="button"
            class="link"
            :disabled="why.isPending.value"
            @click="why.mutate(item.key)"
          >
            Why not?<span class="visually-hidden"> {{ item.driver }}, {{ item.words }}</span>
          </button>
          <button
            v-if="mayMake"
            type="button"
            class="link"
            :disabled="room.isPending.value"
            @click="room.mutate({ key: item.key, day })"
          >
            What would make room?<span class="visually-hidden"> {{ item.driver }}, {{ item.words }}</span>
          </button>
          <ul v-if="room.data.value?.key === item.key" role="status">
            <li v-for="maker in room.data.value.items.slice(0, 5)" :key="`${maker.kind} ${maker.begins_at}`">
              <template v-if="maker.begins_at">{{ moment(maker.begins_at) }} to {{ clock(maker.ends_at!) }}: </template
              >{{ maker.words }}
              <button v-if="maker.kind === 'evening'" type="button" class="link" @click="tryOut(maker)">
                Look at it
              </button>
            </li>
            <li v-if="!room.data.value.items.length">
              No evening more, no other rig and no more time of the coach would bring it in and be worth something.
            </li>
          </ul>
          <ul v-if="why.data.value?.key === item.key" role="status">
            <li v-for="words in why.data.value.words" :key="words">{{ words }}</li>
            <li v-if="why.data.value.best_at">It would stand best at {{ moment(why.data.value.best_at) }}.</li>
          </ul>
        </li>
      </ul>
      <button v-if="left.length > shownLeft" type="button" class="link" @click="shownLeft += 40">
        {{ left.length - shownLeft }} more
      </button>
      <TroubleNote :error="why.error.value ?? room.error.value" />
      <JobProgress v-if="lookingForRoom" :job="lookingForRoom" />
    </section>
    <WhatIfPart v-if="mayMake && (wondering || changes.length)" :plan="plan" :day="day" />
    <p class="quiet care">
      Breaks, the most at the seat and in a day, and quiet hours are kept for every driver. Who is tired stops: a bad
      session is data, not a verdict. What is learned here is no guide for a real road: there the circuit’s rules and
      licensed instructors decide.
    </p>
  </template>
</template>

<style scoped src="@/shared/theme/page.css"></style>
<style scoped>
.make {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
}
.said {
  margin-bottom: 8px;
}
.lanes-part {
  padding: 6px 10px;
  min-width: 0;
}
.beside {
  display: grid;
  gap: 12px;
  grid-template-columns: minmax(0, 1fr);
  align-items: start;
  margin-bottom: 12px;
}
.left > li {
  margin-bottom: 5px;
}
.left button.link {
  margin-left: 8px;
}
.left {
  padding-left: 18px;
}
.care {
  margin-top: 10px;
  max-width: 980px;
}
@media (min-width: 1100px) {
  .beside.pane {
    grid-template-columns: minmax(0, 1fr) 300px;
  }
}
</style>
