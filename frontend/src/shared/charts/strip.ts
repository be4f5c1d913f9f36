import type { Strip, StripLap } from '@/shared/api/client'
import { gap, lapTime } from '@/shared/format'

/** One letter for each mark, shown under the laps; the legend tells what each means. */
export const MARK_LETTERS: Record<string, string> = {
  cold: 'c',
  invalid: 'v',
  incident: 'i',
  tow: 't',
  traffic: 'x',
  yellow: 'y',
  pit: 'p',
  carried: 'o',
  cool: 'd',
  practice_only: 'l',
  spoiled: 's',
}

/** Upper bounds of the steps in which a thread swells, in microseconds. */
const STEPS = [30_000, 100_000, 200_000, 400_000]
export const STEP_WORDS = ['under 0.03', '0.03 to 0.1', '0.1 to 0.2', '0.2 to 0.4', '0.4 and more']

/** How far a thread swells, 0 to 4: as the size of what was lost or won. */
export function swelling(loss: number): number {
  const size = Math.abs(loss)
  const step = STEPS.findIndex((bound) => size < bound)
  return step === -1 ? STEPS.length : step
}

/** Whether a lap is the first of its run. */
export function startsRun(laps: StripLap[], index: number): boolean {
  const lap = laps[index]
  const before = laps[index - 1]
  return !before || !lap || before.run !== lap.run || before.session !== lap.session
}

export interface RunSpan {
  label: string
  start: number
  length: number
}

/** The runs in the order of the laps, with the columns that they take. */
export function runSpans(laps: StripLap[]): RunSpan[] {
  const spans: RunSpan[] = []
  laps.forEach((lap, index) => {
    if (startsRun(laps, index)) spans.push({ label: `session ${lap.session}, run ${lap.run}`, start: index, length: 0 })
    const span = spans[spans.length - 1]
    if (span) span.length += 1
  })
  return spans
}

/** The next pass that lost 0.2 s or more, reading lap by lap from a place on. */
export function nextCostly(strip: Strip, lap: number, part: number): { lap: number; part: number } | null {
  const parts = strip.parts.length
  const cells = strip.laps.length * parts
  for (let ahead = 1; ahead < cells; ahead += 1) {
    const at = (lap * parts + part + ahead) % cells
    const where = { lap: Math.floor(at / parts), part: at % parts }
    const row = strip.laps[where.lap]
    if (row?.passes[where.part] && (row.losses_us[where.part] ?? 0) >= 200_000) return where
  }
  return null
}

export const partTitle = (names: Record<string, string | null>, code: string) =>
  names[code] ? `${code} ${names[code]}` : code

/** What one cell says: the part, its time, what was lost or won, what happened there, and whether it counts. */
export function cellWords(strip: Strip, names: Record<string, string | null>, lap: StripLap, part: number): string {
  const code = strip.parts[part]?.code ?? ''
  const title = partTitle(names, code)
  const time = lap.times_us[part]
  const loss = lap.losses_us[part]
  if (time === null || time === undefined) return `${title}: no time`
  const against = loss === null || loss === undefined ? '' : `, ${gap(loss)} s`
  const events = [
    ...lap.strikes.filter((strike) => strike === code).map(() => 'track limits'),
    ...lap.incidents.filter((event) => event.endsWith(`:${code}`)).map((event) => event.split(':')[0]),
  ]
  const event = events.length ? ` (${events.join(', ')} here)` : ''
  const counts = lap.passes[part]
    ? ''
    : lap.taken.includes(code) && !event
      ? ', taken by what happened before'
      : ', no evidence'
  return `${title}: ${lapTime(time)}${against}${event}${counts}`
}
