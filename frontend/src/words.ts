import type { Availability, BoardDifference, Importance } from '@/api/client'
import { minutesOfDay, temperature } from '@/format'

/** What importances are called; the sign stands before a name in the board. */
export const IMPORTANCE: Record<Importance, { words: string; sign: string }> = {
  must: { words: 'must', sign: '■' },
  want: { words: 'want', sign: '□' },
  if_ready: { words: 'if ready', sign: '◇' },
}
export const CLASHES: Record<string, string> = {
  two_starts: 'At the same time as another start of the same driver.',
  rig_taken: 'The rig is taken by somebody else then.',
  rig_closed: 'The rig is closed then.',
  not_offered: 'The series doesn’t offer this start any more.',
  no_time: 'Outside of the hours in which the driver has time.',
  no_start: 'No start of this week fits into the hours in which the driver has time.',
  no_car: 'The driver may not drive the car.',
}
const NAMES = { time_of_day: 'at', air_temp_c: 'air', track_temp_c: 'track', wetness: '' }
/** How practice differs from the race: "dry instead of wet, track 26 °C instead of 14 °C". */
export function differenceWords(items: BoardDifference[]): string {
  const shown = (item: BoardDifference, value: number | string) =>
    typeof value === 'string' ? value : item.what === 'time_of_day' ? minutesOfDay(value) : temperature(value)
  return items.map((item) => `${NAMES[item.what]} ${shown(item, item.practised)} instead of ${shown(item, item.race)}`.trim()).join(', ')
}
/** Each clash once, though it may be with several others. */
export function clashLines(clashes: { kind: string; start: string | null }[]): { start: string | null; words: string }[] {
  const lines = clashes.map((clash) => ({ start: clash.start, words: CLASHES[clash.kind] ?? clash.kind }))
  return lines.filter((line, index) => lines.findIndex((other) => other.start === line.start && other.words === line.words) === index)
}
export const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
export function raceWords(week: { race_laps?: number | null; race_minutes?: number | null }): string {
  return week.race_laps ? `${week.race_laps} laps` : week.race_minutes ? `${week.race_minutes} min` : 'length not known'
}
/** Free time in a few words: "Mon, Wed 18:30–22:00". */
export function hoursWords(hours: Availability | undefined): string {
  const weekly = (hours?.weekly ?? []).map((item) => `${item.days.map((day) => WEEKDAYS[day]).join(', ')} ${item.begins}–${item.ends}`)
  const extra = hours?.extra?.length ? [`${hours.extra.length} single`] : []
  const off = hours?.off?.length ? [`${hours.off.length} × off`] : []
  return [...weekly, ...extra, ...off].join('; ') || 'not known'
}
