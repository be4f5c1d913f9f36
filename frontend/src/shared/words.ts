import type { Availability, BoardDifference, Importance } from '@/shared/api/client'
import { minutesOfDay, temperature } from '@/shared/format'

/** What importances are called; the sign stands before a name in the board. */
export const IMPORTANCE: Record<Importance, { words: string; sign: string }> = {
  must: { words: 'must', sign: '■' },
  want: { words: 'want', sign: '□' },
  if_ready: { words: 'if ready', sign: '◇' },
}
const NAMES = { time_of_day: 'at', air_temp_c: 'air', track_temp_c: 'track', wetness: '' }
/** How practice differs from the race: "dry instead of wet, track 26 °C instead of 14 °C". */
export function differenceWords(items: BoardDifference[]): string {
  const shown = (item: BoardDifference, value: number | string) =>
    typeof value === 'string' ? value : item.what === 'time_of_day' ? minutesOfDay(value) : temperature(value)
  return items
    .map((item) => `${NAMES[item.what]} ${shown(item, item.practised)} instead of ${shown(item, item.race)}`.trim())
    .join(', ')
}
export const WEEKDAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun']
export function raceWords(week: { race_laps?: number | null; race_minutes?: number | null }): string {
  return week.race_laps ? `${week.race_laps} laps` : week.race_minutes ? `${week.race_minutes} min` : 'length not known'
}
/** Free time in a few words: "Mon, Wed 18:30–22:00". */
export function hoursWords(hours: Availability | undefined): string {
  const weekly = (hours?.weekly ?? []).map(
    (item) => `${item.days.map((day) => WEEKDAYS[day]).join(', ')} ${item.begins}–${item.ends}`,
  )
  const extra = hours?.extra?.length ? [`${hours.extra.length} single`] : []
  const off = hours?.off?.length ? [`${hours.off.length} × off`] : []
  return [...weekly, ...extra, ...off].join('; ') || 'not known'
}
