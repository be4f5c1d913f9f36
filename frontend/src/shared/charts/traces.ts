import type { OverlaidLap } from '@/shared/api/client'

/**
 * How laps over each other are told apart: by ink, width, and a small figure now and then on the line, so that it holds in grey and in print too.
 * Dashes would do as well, but browsers take long to lay them along lines of thousands of points.
 */
export interface Pen {
  figure: '' | 'circle' | 'cross' | 'square' | 'tick' | 'wedge'
  width: number
  /** Of the ink, in per cent; the first lap has the accent's colour. */
  ink: number
}
const PENS: Pen[] = [
  { figure: '', width: 2.6, ink: 100 },
  { figure: '', width: 1.7, ink: 100 },
  { figure: 'circle', width: 1.5, ink: 100 },
  { figure: 'cross', width: 1.5, ink: 100 },
  { figure: 'square', width: 1.5, ink: 100 },
  { figure: '', width: 1.4, ink: 58 },
  { figure: 'circle', width: 1.4, ink: 58 },
  { figure: 'cross', width: 1.4, ink: 58 },
  { figure: 'tick', width: 1.5, ink: 100 },
  { figure: 'wedge', width: 1.5, ink: 100 },
  { figure: 'square', width: 1.4, ink: 58 },
  { figure: 'wedge', width: 1.4, ink: 58 },
]
const FIGURES: Record<Pen['figure'], (x: number, y: number) => string> = {
  '': () => '',
  circle: (x, y) => `M${x - 3.5} ${y}a3.5 3.5 0 1 0 7 0a3.5 3.5 0 1 0 -7 0`,
  cross: (x, y) => `M${x - 3.5} ${y - 3.5}l7 7m0 -7l-7 7`,
  square: (x, y) => `M${x - 3} ${y - 3}h6v6h-6z`,
  tick: (x, y) => `M${x} ${y - 5}v10`,
  wedge: (x, y) => `M${x - 4} ${y + 3}l4 -7l4 7z`,
}
const EVERY_PX = 96
/** The figures on a line, in even steps across; each lap's begin somewhere else. */
export function figures(index: number, from: number, to: number, at: (pixels: number) => number | null): string {
  const draw = FIGURES[pen(index).figure]
  let out = ''
  if (!pen(index).figure) return out
  for (let x = from + 20 + ((index * 37) % EVERY_PX); x < to; x += EVERY_PX) {
    const y = at(x)
    if (y !== null) out += draw(Math.round(x), Math.round(y))
  }
  return out
}
/** One figure, for the legend. */
export const figureAt = (index: number, x: number, y: number) => FIGURES[pen(index).figure](x, y)
export const pen = (index: number): Pen => PENS[index % PENS.length]!
export const inkOf = (index: number) =>
  index ? `color-mix(in srgb, var(--ink) ${pen(index).ink}%, var(--sheet))` : 'var(--accent)'

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
export function linePath(
  where: readonly number[],
  values: readonly (number | null)[],
  x: (metres: number) => number,
  y: (value: number) => number,
): string {
  let out = ''
  let drawing = false
  for (let index = 0; index < where.length; index += 1) {
    const value = values[index]
    if (value === null || value === undefined) {
      drawing = false
      continue
    }
    out += `${drawing ? 'L' : 'M'}${Math.round(x(where[index]!) * 10) / 10} ${Math.round(y(value) * 10) / 10}`
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
