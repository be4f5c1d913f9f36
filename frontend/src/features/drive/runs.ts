import { useQueryClient } from '@tanstack/vue-query'
import type { Run, RunContext } from '@/shared/api/client'
import { fuel } from '@/shared/format'

/** A run by what tells it from others. */
export interface RunKey {
  session_id: string
  driver_id: string
  number: number
}
export const runPath = (key: RunKey) => ({ session_id: key.session_id, driver_id: key.driver_id, number: key.number })
/** A run in one text, to keep something under. */
export const nameOf = (key: RunKey) => `${key.session_id} ${key.driver_id} ${key.number}`
export const runPlace = (combination: string, key: RunKey) => ({
  name: 'run',
  params: { id: combination, session: key.session_id, driver: key.driver_id, run: key.number },
})

export const PURPOSES: Record<string, string> = {
  learn: 'learn the track',
  build: 'build pace',
  corner: 'work on a corner',
  trial: 'try an option',
  long: 'long run',
  qualifying: 'qualifying',
  rehearsal: 'rehearse the race',
  experiment: 'experiment',
  commentary: 'talk it through',
}
export const COMPANIES: Record<string, string> = { solo: 'alone', behind: 'behind others', pack: 'in a pack' }
export const KINDS: Record<string, string> = { flying: 'flying', out: 'out lap', in: 'in lap', outin: 'out and in' }
/** Runs whose laps are no evidence against a driver. */
export const NO_EVIDENCE = ['learn', 'experiment', 'commentary']

export const emptyContext = (): RunContext => ({
  session_kind: 'practice',
  purpose: null,
  tyre_set: null,
  compound: null,
  tyre_age: null,
  fuel_l: null,
  energy_kwh: null,
  setup: null,
  settings: {},
  assists: null,
  company: null,
  official: null,
  options: '',
  watch: [],
})

/** A context in a few words, what is known of it. */
export function contextWords(context: RunContext): string {
  const settings = Object.entries(context.settings ?? {}).map(([name, value]) => `${name} ${value}`)
  return [
    context.session_kind === 'practice' ? null : context.session_kind,
    context.purpose ? PURPOSES[context.purpose] : null,
    context.tyre_set ? `set ${context.tyre_set}` : null,
    context.compound,
    context.tyre_age !== null && context.tyre_age !== undefined ? `${context.tyre_age} laps old` : null,
    context.fuel_l !== null && context.fuel_l !== undefined ? fuel(context.fuel_l) : null,
    context.energy_kwh !== null && context.energy_kwh !== undefined ? `${context.energy_kwh} kWh` : null,
    context.setup ? `setup ${context.setup}` : null,
    context.assists ? `assists ${context.assists}` : null,
    context.company ? COMPANIES[context.company] : null,
    context.official === null || context.official === undefined
      ? null
      : context.official
        ? 'official conditions'
        : 'not official conditions',
    context.options || null,
    ...settings,
  ]
    .filter(Boolean)
    .join(' · ')
}

export const skipped = (run: Run) => run.checks.filter((item) => !item.done).map((item) => String(item.words))

/** Whatever laps and runs are shown in is asked for anew. */
export function useRunsSettled() {
  const queries = useQueryClient()
  const keys = [
    'runs',
    'run',
    'practices',
    'questions',
    'template',
    'combination',
    'combinations',
    'analysis',
    'driver-laps',
    'board',
    'steps',
    'history',
  ]
  return () => Promise.all(keys.map((key) => queries.invalidateQueries({ queryKey: [key] })))
}
