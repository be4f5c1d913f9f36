import type { OverlaidLap } from '@/api/client'

/** How laps over each other are told apart: by ink and by the way the line is drawn, so that it holds in grey and in print too. */
export interface Pen {
  dash: string
  width: number
  /** Of the ink, in per cent; the first lap has the accent's colour. */
  ink: number
}
const PENS: Pen[] = [
  { dash: '', width: 2.6, ink: 100 },
  { dash: '', width: 1.7, ink: 100 },
  { dash: '9 4', width: 1.7, ink: 100 },
  { dash: '2 3', width: 1.9, ink: 100 },
  { dash: '12 3 2 3', width: 1.7, ink: 100 },
  { dash: '', width: 1.5, ink: 58 },
  { dash: '9 4', width: 1.5, ink: 58 },
  { dash: '2 3', width: 1.7, ink: 58 },
  { dash: '5 2', width: 1.5, ink: 100 },
  { dash: '1 5', width: 2.4, ink: 100 },
  { dash: '12 3 2 3', width: 1.5, ink: 58 },
  { dash: '16 5', width: 1.5, ink: 58 },
]
export const pen = (index: number): Pen => PENS[index % PENS.length]!
export const inkOf = (index: number) => (index ? `color-mix(in srgb, var(--ink) ${pen(index).ink}%, var(--sheet))` : 'var(--accent)')

/** What a channel is called and measured in. */
export const CHANNELS: Record<string, { name: string; unit: string; decimals: number }> = {
  speed_kmh: { name: 'Speed', unit: 'km/h', decimals: 1 },
  throttle_pct: { name: 'Throttle', unit: '%', decimals: 0 },
  brake_pct: { name: 'Brake', unit: '%', decimals: 0 },
  steering_deg: { name: 'Steering, left negative', unit: '°', decimals: 1 },
  gear: { name: 'Gear', unit: '', decimals: 0 },
  rpm: { name: 'Engine speed', unit: 'rpm', decimals: 0 },
  offset_m: { name: 'Offset from the centreline, left negative', unit: 'm', decimals: 2 },
  yaw_rate_dps: { name: 'Yaw rate', unit: '°/s', decimals: 1 },
  lock_pct: { name: 'Wheel lock', unit: '%', decimals: 0 },
  slip_pct: { name: 'Slip', unit: '%', decimals: 0 },
}

/** The value of a line at a place, between the points around it; nothing where it isn't known. */
export function valueAt(where: readonly number[], values: readonly (number | null)[], place: number): number | null {
  if (!where.length || place < where[0]! || place > where[where.length - 1]!) return null
  let low = 0
  let high = where.length - 1
  while (high - low > 1) {
    const middle = (low + high) >> 1
    if (where[middle]! <= place) low = middle
    else high = middle
  }
  const [a, b] = [values[low], values[high]]
  if (a === null || a === undefined || b === null || b === undefined) return a ?? b ?? null
  const span = where[high]! - where[low]!
  return span ? a + ((b - a) * (place - where[low]!)) / span : a
}

/** A line through points, broken where values aren't known. */
export function linePath(where: readonly number[], values: readonly (number | null)[], x: (metres: number) => number, y: (value: number) => number): string {
  let out = ''
  let drawing = false
  for (let index = 0; index < where.length; index += 1) {
    const value = values[index]
    if (value === null || value === undefined) {
      drawing = false
      continue
    }
    out += `${drawing ? 'L' : 'M'}${x(where[index]!).toFixed(1)} ${y(value).toFixed(1)}`
    drawing = true
  }
  return out
}

/** Lowest and highest value of lines, with a little air; never the same. */
export function span(laps: readonly OverlaidLap[]): [number, number] {
  let low = Infinity
  let high = -Infinity
  for (const lap of laps) {
    for (const value of lap.values) {
      if (value === null) continue
      if (value < low) low = value
      if (value > high) high = value
    }
  }
  if (low > high) return [0, 1]
  const air = Math.max((high - low) * 0.06, 0.5)
  return [low - air, high + air]
}
