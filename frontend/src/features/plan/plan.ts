import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api, version, type Job, type Schemas } from '@/shared/api/client'
import { follow } from '@/shared/api/jobs'
import { clock, dayOf, moment } from '@/shared/format'

/** The practice plan: what its pages share. */
export type Plan = Schemas['PlanOut']
export type PlanBlock = Schemas['PlanBlockOut']
export type PlanLeft = Schemas['PlanLeft']
export type PlanLane = Schemas['PlanLane']
type Change = Schemas['PlanBlockChange']
type SomeChange = Partial<Change>

export const MINUTE = 60_000
export const DAY = 24 * 60 * MINUTE

export const usePlan = (day: () => string | undefined) =>
  useQuery({
    queryKey: ['plan', day],
    queryFn: () => answer(api.GET('/api/plan', { params: { query: { day: day() } } })),
  })

function useSettled() {
  const queries = useQueryClient()
  return () =>
    Promise.all(['plan', 'steps', 'history', 'jobs'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
}

/** The plan that is being made: it outlives the page that asked for it. */
const making = ref<Job>()
export function useMaking() {
  const settled = useSettled()
  const make = useMutation({
    mutationFn: async (wish: { day?: string; drivers?: string[] }) => {
      const begun = await answer(
        api.POST('/api/plan/make', { body: { day: wish.day ?? null, drivers: wish.drivers ?? null } }),
      )
      return follow(begun, (now) => (making.value = now))
    },
    onSettled: settled,
  })
  return { make, making }
}

/** What becomes of a block, from where it is when its turn comes: keys are pressed faster than answers arrive. */
export type Step = (block: PlanBlock) => SomeChange | 'out'
let turn: Promise<unknown> = Promise.resolve()
export function useBlockChange() {
  const queries = useQueryClient()
  const settled = useSettled()
  const latest = (id: string) =>
    queries
      .getQueriesData<Plan>({ queryKey: ['plan'] })
      .flatMap(([, plan]) => plan?.blocks ?? [])
      .find((block) => block.id === id)
  async function act(id: string, step: Step) {
    const block = latest(id)
    if (!block) return
    const to = step(block)
    const params = { path: { block_id: id }, header: version(block.version) }
    try {
      await (to === 'out'
        ? answer(api.DELETE('/api/plan/blocks/{block_id}', { params }))
        : answer(api.PUT('/api/plan/blocks/{block_id}', { params, body: to as Change })))
    } finally {
      await settled()
    }
  }
  return useMutation({
    mutationFn: ({ id, step }: { id: string; step: Step }) => {
      const mine = turn.then(() => act(id, step))
      turn = mine.catch(() => undefined)
      return mine
    },
  })
}
export const moved =
  (minutes: number): Step =>
  (block) => ({ begins_at: later(block.begins_at, minutes) })
export const longer =
  (minutes: number): Step =>
  (block) => ({ minutes: Math.max(5, block.minutes + minutes) })
export const turned: Step = (block) => ({ locked: !block.locked })

/** Days of a plan, as the person who looks counts them; of those that are over only the ones on which something was planned. */
export function daysOf(plan: Plan): string[] {
  const today = dayOf(new Date())
  const planned = new Set(plan.blocks.map((block) => dayOf(new Date(block.begins_at))))
  return allDaysOf(plan).filter((day) => day >= today || planned.has(day))
}
function allDaysOf(plan: Plan): string[] {
  const out: string[] = []
  const end = new Date(plan.ends_at).getTime()
  for (let at = new Date(plan.begins_at).getTime(); at < end && out.length < 14; at += DAY / 2) {
    const day = dayOf(new Date(at))
    if (out.at(-1) !== day) out.push(day)
  }
  return out
}
export const ends = (block: PlanBlock): string =>
  new Date(new Date(block.begins_at).getTime() + block.minutes * MINUTE).toISOString()
export const later = (iso: string, minutes: number): string =>
  new Date(new Date(iso).getTime() + minutes * MINUTE).toISOString()

/** What a run is declared as that drives a block; other kinds are declared as what they are. */
const PURPOSE_OF: Record<string, string> = {
  walk: 'learn',
  build: 'build',
  corner: 'corner',
  trial: 'trial',
  long: 'long',
  qualifying: 'qualifying',
  rehearsal: 'rehearsal',
}
/** Where the run for a block is declared; nowhere where nothing is driven, or nobody knows in what. */
export function declarePlace(block: { combination_id: string | null; driver_id: string; kind: string; words: string }) {
  if (!block.combination_id || block.kind === 'review') return undefined
  const query = {
    driver: block.driver_id,
    purpose: PURPOSE_OF[block.kind],
    watch: block.kind === 'corner' ? block.words : undefined,
  }
  return { name: 'declare', params: { id: block.combination_id }, query }
}
/** Still to be driven. */
export const isComing = (block: { state: string }) => block.state === 'coming' || block.state === 'under_way'

export type WhatIfChange = Schemas['WhatIfChange']
export type WhatIfBlock = Schemas['BlockBeside']
type WhatIf = Schemas['PlansBeside'] & { at: string }
export type RoomMaker = Schemas['Room']

const whatIfChanges = ref<WhatIfChange[]>([])
const whatIfFound = ref<WhatIf>()
const whatIfLooking = ref<Job>()
/** What would be other, and what became of it: shared by who asks and who shows. */
export function useWhatIf() {
  const ask = useMutation({
    mutationFn: async (day?: string) => {
      const begun = await answer(
        api.POST('/api/plan/what-if', { body: { day: day ?? null, changes: whatIfChanges.value } }),
      )
      const found = await follow(begun, (now) => (whatIfLooking.value = now))
      whatIfFound.value = { ...found, at: new Date().toISOString() }
    },
  })
  return { changes: whatIfChanges, ask, looking: whatIfLooking, found: whatIfFound }
}

/** What would make room for a block. */
export function useRoom() {
  const looking = ref<Job>()
  const ask = useMutation({
    mutationFn: async (wish: { key: string; day?: string }) => {
      const begun = await answer(api.POST('/api/plan/room', { body: { key: wish.key, day: wish.day ?? null } }))
      return follow(begun, (now) => (looking.value = now))
    },
  })
  return { ask, looking }
}

export function changeWords(plan: Plan, change: WhatIfChange): string {
  const name = plan.drivers.find((item) => item.id === change.driver_id)?.name ?? ''
  if (change.kind === 'entry') {
    const week = plan.weeks.find((item) => item.id === change.week_id)
    return `${name} also drives ${week?.series ?? ''}, ${week?.place ?? ''}.`
  }
  const when = `${moment(change.begins_at!)} to ${clock(change.ends_at!)}`
  return change.kind === 'more_time' ? `${name} has time ${when} too.` : `${name} has no time ${when}.`
}

/** Hours since midnight as a time of day: 19.5 is 19:30. */
export function clockOf(hours: number): string {
  const minutes = Math.round(hours * 60)
  return `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(minutes % 60).padStart(2, '0')}`
}
/** A time of day as hours since midnight; null where it is none. */
export function hourOf(clock: string): number | null {
  const found = /^(\d{2}):(\d{2})/.exec(clock)
  return found ? Number(found[1]) + Number(found[2]) / 60 : null
}
