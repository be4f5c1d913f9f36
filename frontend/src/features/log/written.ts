import type { RouteLocationRaw } from 'vue-router'
import type { Schemas } from '@/shared/api/client'
import { runPlace } from '@/features/drive/runs'

/** What people wrote, wherever it stands. */
export type Written = Schemas['WrittenOut']

export const KINDS: Record<Written['kind'], string> = {
  lesson: 'Learned',
  remark: 'Said of a lap',
  run: 'Note of a run',
  lap: 'Note of a lap',
  correction: 'Corrected mistake',
  work: 'Work given',
  corner: 'Corner',
  reference: 'Reference',
  question: 'Question',
  track: 'Pit lane',
  result: 'Race behind',
  race: 'Race ahead',
  week: 'Week of a series',
  series: 'Series',
  setup: 'Setup',
  version: 'Why a setup changed',
  exercise: 'Exercise',
  car: 'Car',
  combination: 'Combination',
}

/** Where something that was written stands; undefined: on no page that one could go to. */
export function placeOf(item: Written, words: string): RouteLocationRaw | undefined {
  const { id, combination_id: combination, layout_id: layout, driver_id: driver } = item
  if (item.kind === 'lesson') return { name: 'learned', query: { q: words } }
  if (item.kind === 'exercise') return { name: 'exercises' }
  if (item.kind === 'setup' || item.kind === 'version') return { name: 'setups', query: { setup: id } }
  if (item.kind === 'car' && id) return { name: 'car', params: { id } }
  if (item.kind === 'week' && id) return { name: 'series-week', params: { id } }
  if (item.kind === 'series') return { name: 'week' }
  if (item.kind === 'race' && id) return { name: 'race', params: { id } }
  if (item.kind === 'result' && id) return { name: 'debrief', params: { id } }
  if (item.kind === 'work' && combination && driver)
    return { name: 'driver-clinic', params: { id: combination, driver } }
  if (combination && driver && item.session_id && item.run !== null)
    return runPlace(combination, { session_id: item.session_id, driver_id: driver, number: item.run })
  if (combination) return { name: 'combination', params: { id: combination } }
  if (layout && item.corner) return { name: 'corner', params: { id: layout, code: item.corner } }
  return layout ? { name: 'track', params: { id: layout } } : undefined
}
