import { preferences } from '@/shared/preferences'
import { fromUnit, inUnit, quantity, units, type Quantity } from '@/shared/units'

/** Times and figures as people read them. Durations are whole microseconds, as everywhere. */

export function lapTime(microseconds: number | null | undefined, decimals = 3): string {
  if (microseconds === null || microseconds === undefined) return '–'
  const unit = 10 ** (6 - decimals)
  let whole = Math.round(Math.abs(microseconds) / unit)
  const scale = 10 ** decimals
  const fraction = whole % scale
  whole = Math.floor(whole / scale)
  const seconds = whole % 60
  const minutes = Math.floor(whole / 60) % 60
  const hours = Math.floor(whole / 3600)
  const tail = decimals ? '.' + String(fraction).padStart(decimals, '0') : ''
  const sign = microseconds < 0 ? '−' : ''
  if (hours) return `${sign}${hours}:${String(minutes).padStart(2, '0')}:${String(seconds).padStart(2, '0')}${tail}`
  if (minutes) return `${sign}${minutes}:${String(seconds).padStart(2, '0')}${tail}`
  return `${sign}${seconds}${tail}`
}

/** A duration as people type it, `m:ss.fff` or `ss.fff`, as whole microseconds; null where it is none. */
export function readTime(text: string): number | null {
  const found = /^(?:(\d{1,3}):)?(\d{1,5})(?:[.,](\d{1,6}))?$/.exec(text.trim())
  if (!found || (found[1] !== undefined && Number(found[2]) >= 60)) return null
  const microseconds =
    (Number(found[1] ?? 0) * 60 + Number(found[2])) * 1_000_000 + Number((found[3] ?? '').padEnd(6, '0'))
  return microseconds > 0 ? microseconds : null
}

/** A number with a point or a comma as people type it; null where nothing was typed, NaN where that is no number. */
export function readNumber(text: string): number | null {
  const plain = text.trim()
  if (!plain) return null
  return /^[+\-−]?\d{1,12}(?:[.,]\d{1,12})?$/.test(plain)
    ? Number(plain.replace('−', '-').replace(',', '.'))
    : Number.NaN
}
/** What stands in a field to begin with. */
export const asTyped = (value: unknown): string => (value === null || value === undefined ? '' : String(value))

export function gap(microseconds: number | null | undefined, decimals = 3): string {
  if (microseconds === null || microseconds === undefined) return '–'
  const text = lapTime(Math.abs(microseconds), decimals)
  if (!/[1-9]/.test(text)) return `±${text}`
  return `${microseconds < 0 ? '−' : '+'}${text}`
}

export function perCent(share: number | null | undefined, decimals = 0): string {
  if (share === null || share === undefined) return '–'
  // Rounded first: what is less than nothing by less than is shown is nothing.
  const rounded = Number((share * 100).toFixed(decimals))
  return `${rounded.toFixed(decimals).replace('-', '−')} %`
}

export function count(number: number, one: string, many = `${one}s`): string {
  return `${number.toLocaleString('en')} ${number === 1 ? one : many}`
}

const formats = new Map<string, Intl.DateTimeFormat>()
/** A format in the zone that the person chose. */
function format(parts: Intl.DateTimeFormatOptions): Intl.DateTimeFormat {
  const timeZone = preferences.zone ?? undefined
  const key = `${timeZone} ${Object.keys(parts).join()}`
  const made = formats.get(key) ?? new Intl.DateTimeFormat('en-GB', { ...parts, timeZone })
  formats.set(key, made)
  return made
}

/** A weekday stands before its day in the same way, with a year behind it or without. */
const alike = (written: string) => written.replace(/^(\p{L}+), (?=\d)/u, '$1 ')
/** The year belongs to a date of another year, and would only be noise elsewhere. */
const yearOf = (iso: string): Intl.DateTimeFormatOptions =>
  dayOf(new Date(iso)).slice(0, 4) === dayOf(new Date()).slice(0, 4) ? {} : { year: 'numeric' }
export const moment = (iso: string): string =>
  alike(
    format({
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      ...yearOf(iso),
      hour: '2-digit',
      minute: '2-digit',
    }).format(new Date(iso)),
  )
export const clock = (iso: string): string => format({ hour: '2-digit', minute: '2-digit' }).format(new Date(iso))
export const zoneName = (): string => preferences.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone
/** The day of a moment in the person's zone, as it stands in an address. */
export function dayOf(moment: Date): string {
  const parts = new Intl.DateTimeFormat('en-CA', {
    timeZone: zoneName(),
    year: 'numeric',
    month: '2-digit',
    day: '2-digit',
  })
  return parts.format(moment)
}
/** A day that belongs to no zone, as in "from 7 April". */
export const plainDay = (iso: string): string =>
  alike(
    new Intl.DateTimeFormat('en-GB', {
      weekday: 'short',
      day: 'numeric',
      month: 'short',
      ...(iso.slice(0, 4) === dayOf(new Date()).slice(0, 4) ? {} : { year: 'numeric' as const }),
      timeZone: 'UTC',
    }).format(new Date(`${iso.slice(0, 10)}T12:00:00Z`)),
  )
/** Time of day of a date and time without a zone, as inside the simulation. */
export const timeOfDay = (iso: string): string => iso.slice(11, 16)
export const minutesOfDay = (minutes: number): string =>
  `${String(Math.floor(minutes / 60)).padStart(2, '0')}:${String(Math.round(minutes % 60)).padStart(2, '0')}`
/** How long until a moment, in words: days are those of the calendar in the person's zone, so that tomorrow evening is tomorrow. */
export function inWords(iso: string, now: string): string {
  const hours = (new Date(iso).getTime() - new Date(now).getTime()) / 3_600_000
  if (hours < 0) return 'over'
  if (hours < 1) return `in ${Math.max(1, Math.round(hours * 60))} min`
  const days = Math.round((Date.parse(dayOf(new Date(iso))) - Date.parse(dayOf(new Date(now)))) / 86_400_000)
  if (days < 1 || hours < 12) return `in ${Math.round(hours)} h`
  return days === 1 ? 'tomorrow' : `in ${days} days`
}
export const date = (iso: string): string =>
  alike(format({ weekday: 'short', day: 'numeric', month: 'short', ...yearOf(iso) }).format(new Date(iso)))

/** Length of a lap, in the unit that belongs to the chosen unit of speed. */
export function length(metres: number): string {
  return units.speed === 'mph' ? `${(metres / 1609.344).toFixed(3)} mi` : `${(metres / 1000).toFixed(3)} km`
}

/** A short distance in the unit in which it is paced off. */
export const isYards = (): boolean => units.speed === 'mph'
export const METRES_PER_YARD = 0.9144
export const shortUnit = (): string => (isYards() ? 'yd' : 'm')
export const inShortUnit = (metres: number): number => (isYards() ? metres / METRES_PER_YARD : metres)
export const fromShortUnit = (value: number): number => (isYards() ? value * METRES_PER_YARD : value)
export const shortLength = (metres: number, decimals = 0): string =>
  `${inShortUnit(metres).toFixed(decimals)} ${shortUnit()}`

export function temperature(celsius: number | null | undefined): string {
  return celsius === null || celsius === undefined ? '–' : quantity('temperature', celsius)
}

/** Fuel on board or used, in the unit in use. */
export const fuel = (litres: number, decimals = 1): string => quantity('volume', litres, decimals)

/** What is kept, as it stands in a field to begin with, in the unit in use. */
export function typedIn(kind: Quantity, value: number | null | undefined, apart = false): string {
  return value === null || value === undefined ? '' : String(Number(inUnit(kind, value, apart).toFixed(3)))
}
/**
 * What somebody typed in the unit in use, as it is kept: null where nothing stands there, not a number where it can't be read.
 * What wasn't touched stays to the last digit what it was.
 */
export function readIn(kind: Quantity, text: string, before?: number | null, apart = false): number | null {
  if (before !== null && before !== undefined && text.trim() === typedIn(kind, before, apart)) return before
  const value = readNumber(text)
  return value === null || Number.isNaN(value) ? value : Number(fromUnit(kind, value, apart).toFixed(4))
}

/** Bytes, as files and disks are spoken of. */
export const fileSize = (bytes: number): string =>
  bytes < 1e9 ? `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB` : `${(bytes / 1e9).toFixed(1)} GB`
/** With a capital letter, as a sentence begins. */
export const capital = (words: string): string => words.charAt(0).toUpperCase() + words.slice(1)
