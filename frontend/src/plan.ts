import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'
import { answer, api, version, type Job, type Schemas } from '@/api/client'
import { follow } from '@/api/jobs'
import { dayOf } from '@/format'

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
  useQuery({ queryKey: ['plan', day], queryFn: () => answer(api.GET('/api/plan', { params: { query: { day: day() } } })) })

function useSettled() {
  const queries = useQueryClient()
  return () => Promise.all(['plan', 'steps', 'history', 'jobs'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
}

/** The plan that is being made: it outlives the page that asked for it. */
const making = ref<Job>()
export function useMaking() {
  const settled = useSettled()
  const make = useMutation({
    mutationFn: async (wish: { day?: string; drivers?: string[] }) => {
      const begun = await answer(api.POST('/api/plan/make', { body: { day: wish.day ?? null, drivers: wish.drivers ?? null } }))
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
  const latest = (id: string) => queries.getQueriesData<Plan>({ queryKey: ['plan'] }).flatMap(([, plan]) => plan?.blocks ?? []).find((block) => block.id === id)
  async function act(id: string, step: Step) {
    const block = latest(id)
    if (!block) return
    const to = step(block)
    const params = { path: { block_id: id }, header: version(block.version) }
    try {
      await (to === 'out' ? answer(api.DELETE('/api/plan/blocks/{block_id}', { params })) : answer(api.PUT('/api/plan/blocks/{block_id}', { params, body: to as Change })))
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
export const moved = (minutes: number): Step => (block) => ({ begins_at: later(block.begins_at, minutes) })
export const longer = (minutes: number): Step => (block) => ({ minutes: Math.max(5, block.minutes + minutes) })
export const turned: Step = (block) => ({ locked: !block.locked })

/** Days of a plan, as the person who looks counts them. */
export function daysOf(plan: Plan): string[] {
  const out: string[] = []
  const end = new Date(plan.ends_at).getTime()
  for (let at = new Date(plan.begins_at).getTime(); at < end && out.length < 14; at += DAY / 2) {
    const day = dayOf(new Date(at))
    if (out.at(-1) !== day) out.push(day)
  }
  return out
}
export const ends = (block: PlanBlock): string => new Date(new Date(block.begins_at).getTime() + block.minutes * MINUTE).toISOString()
export const later = (iso: string, minutes: number): string => new Date(new Date(iso).getTime() + minutes * MINUTE).toISOString()
