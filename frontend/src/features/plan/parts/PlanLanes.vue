<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { clock, dayOf, plainDay } from '@/shared/format'
import {
  DAY,
  daysOf,
  isComing,
  longer,
  MINUTE,
  moved,
  turned,
  type Plan,
  type PlanBlock,
  type PlanLane,
  type Step,
} from '@/features/plan/plan'

/** Drivers as lanes over days: free time, races, and blocks that are moved by mouse and by keys. */
const props = defineProps<{ plan: Plan; may: boolean; chosen: string }>()
const emit = defineEmits<{ choose: [id: string]; step: [id: string, step: Step] }>()
const days = computed(() => daysOf(props.plan))
const dragged = ref<PlanBlock>()
const over = ref('')
const inDay = (iso: string, day: string) => dayOf(new Date(iso)) === day
const opened = ref('')
const isOver = (day: string) => day < dayOf(new Date())
const allOf = (lane: PlanLane, day: string) =>
  props.plan.blocks.filter((block) => block.driver_id === lane.id && inDay(block.begins_at, day))
/** Of days that are over what was done is only counted, until somebody wants to see it. */
const doneOf = (lane: PlanLane, day: string) =>
  isOver(day) ? allOf(lane, day).filter((block) => block.state === 'done') : []
const blocksOf = (lane: PlanLane, day: string) =>
  allOf(lane, day).filter((block) => opened.value === lane.id + day || !doneOf(lane, day).includes(block))
const racesOf = (lane: PlanLane, day: string) => lane.races.filter((race) => inDay(race.at, day))
/** Free time by day, each stretch where it begins; whole days are said as such. */
function freeOf(lane: PlanLane, day: string): string {
  const long = (span: PlanLane['free'][number]) =>
    new Date(span.ends_at).getTime() - new Date(span.begins_at).getTime() >= DAY * 0.7
  const pieces = lane.free
    .filter((span) => inDay(span.begins_at, day))
    .map((span) => (long(span) ? 'all day' : `${clock(span.begins_at)}–${clock(span.ends_at)}`))
  return pieces.join(', ')
}
const where = (block: PlanBlock) => block.place.split(', ').at(-1) || block.series
const meta = (block: PlanBlock) =>
  [block.became, where(block), `${block.minutes} min`, block.rig?.name, block.coach, block.locked ? 'stays' : '']
    .filter(Boolean)
    .join(' · ')

function onKey(event: KeyboardEvent, block: PlanBlock) {
  if (event.ctrlKey || event.metaKey || event.altKey || !props.may) return
  const shift = { ArrowLeft: -DAY / MINUTE, ArrowRight: DAY / MINUTE, ArrowUp: -15, ArrowDown: 15 }[event.key]
  if (shift) emit('step', block.id, moved(shift))
  else if (event.key === '+' || event.key === '-') emit('step', block.id, longer(event.key === '+' ? 5 : -5))
  else if (event.key.toLowerCase() === 'l') emit('step', block.id, turned)
  else if (event.key === 'Delete') emit('step', block.id, () => 'out')
  else return
  event.preventDefault()
  void again(block.id)
}
/** A block that has moved is another element: who works with keys stays with it. */
async function again(id: string) {
  for (let tried = 0; tried < 40; tried += 1) {
    await nextTick()
    await new Promise((go) => setTimeout(go, 50))
    const there = document.getElementById(`block-${id}`)
    if (there && document.activeElement === document.body) there.focus()
  }
}
function drop(lane: PlanLane, day: string) {
  const block = dragged.value
  over.value = ''
  dragged.value = undefined
  if (!block || block.driver_id !== lane.id || inDay(block.begins_at, day)) return
  const from = days.value.indexOf(dayOf(new Date(block.begins_at)))
  emit('step', block.id, moved(((days.value.indexOf(day) - from) * DAY) / MINUTE))
}
</script>

<template>
  <div class="scroll-x" tabindex="0" role="group" aria-label="The plan by drivers and days">
    <table class="lanes">
      <thead>
        <tr>
          <th scope="col">Driver</th>
          <th v-for="day in days" :key="day" scope="col">{{ plainDay(day) }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="lane in plan.lanes" :key="lane.id">
          <th scope="row">{{ lane.name }}<span v-if="!lane.free.length" class="none">no free time left</span></th>
          <td
            v-for="day in days"
            :key="day"
            :class="{ over: over === lane.id + day, closed: !freeOf(lane, day) }"
            @dragover.prevent="over = dragged?.driver_id === lane.id ? lane.id + day : ''"
            @drop.prevent="drop(lane, day)"
          >
            <span v-if="freeOf(lane, day)" class="free"
              ><span class="visually-hidden">Free </span>{{ freeOf(lane, day) }}</span
            >
            <button
              v-if="doneOf(lane, day).length"
              type="button"
              class="link counted"
              :aria-expanded="opened === lane.id + day"
              @click="opened = opened === lane.id + day ? '' : lane.id + day"
            >
              <span class="visually-hidden">{{ lane.name }}, {{ plainDay(day) }}: </span
              >{{ doneOf(lane, day).length }} done
            </button>
            <span v-for="race in racesOf(lane, day)" :key="race.at" class="race"
              ><b>{{ clock(race.at) }}</b> race: {{ race.what }}</span
            >
            <button
              v-for="block in blocksOf(lane, day)"
              :id="`block-${block.id}`"
              :key="block.id"
              type="button"
              class="block"
              :class="[
                block.kind,
                block.state,
                {
                  locked: block.locked && isComing(block),
                  broken: block.broken.length,
                  here: chosen === block.id,
                  gone: !block.needed,
                },
              ]"
              :draggable="may"
              :aria-pressed="chosen === block.id"
              @click="emit('choose', block.id)"
              @keydown="onKey($event, block)"
              @dragstart="dragged = block"
              @dragend="dragged = undefined"
            >
              <span class="what"
                ><span class="visually-hidden">{{ lane.name }}, {{ plainDay(day) }} </span
                ><b>{{ clock(block.begins_at) }}</b> {{ block.words }}</span
              >
              <span class="meta"
                >{{ meta(block)
                }}<span v-if="block.broken.length" class="visually-hidden"
                  >, breaks a rule: {{ block.broken.join(', ') }}</span
                ></span
              >
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.lanes {
  border-collapse: collapse;
  width: 100%;
  table-layout: fixed;
  min-width: 760px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  border-bottom: 1px solid var(--rule);
  padding: 4px 4px 5px;
}
thead th {
  font-size: 0.85rem;
  border-bottom-color: var(--ink);
}
tbody th,
thead th:first-child {
  width: 118px;
  font-weight: 600;
}
td {
  border-left: 1px solid var(--rule);
}
.closed {
  background: color-mix(in srgb, var(--rule) 22%, transparent);
}
.over {
  outline: 2px solid var(--accent);
  outline-offset: -2px;
}
.none {
  display: block;
  font-weight: 400;
  font-size: 0.75rem;
  color: var(--quiet);
}
.free {
  display: block;
  font-size: 0.75rem;
  color: var(--quiet);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.counted {
  font-size: 0.82rem;
}
.race {
  display: block;
  font-size: 0.78rem;
  border-left: 3px solid var(--ink);
  padding-left: 5px;
  margin: 3px 0;
}
.block {
  display: grid;
  width: 100%;
  text-align: left;
  font: inherit;
  font-size: 0.82rem;
  line-height: 1.25;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--rule);
  border-left: 4px solid var(--accent);
  border-radius: 3px;
  padding: 3px 5px;
  margin-top: 3px;
  cursor: pointer;
}
.block.review {
  border-left-style: dotted;
}
.block.locked {
  border-left-color: var(--ink);
  border-color: var(--quiet);
}
.block.broken {
  border-color: var(--loss);
  border-left-color: var(--loss);
}
.block.gone .what {
  text-decoration: line-through;
}
.block.done {
  background: color-mix(in srgb, var(--accent) 12%, var(--paper));
}
.block.missed,
.block.short,
.block.replaced {
  border-left-color: var(--ochre);
  border-left-style: double;
}
.block.missed .meta,
.block.short .meta,
.block.replaced .meta {
  color: var(--ochre);
}
.block.here {
  outline: 2px solid var(--accent);
}
.meta {
  color: var(--quiet);
  font-size: 0.74rem;
}
</style>
