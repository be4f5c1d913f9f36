import { preferences } from '@/preferences'

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

export function gap(microseconds: number | null | undefined, decimals = 3): string {
  if (microseconds === null || microseconds === undefined) return '–'
  const text = lapTime(Math.abs(microseconds), decimals)
  if (!/[1-9]/.test(text)) return `±${text}`
  return `${microseconds < 0 ? '−' : '+'}${text}`
}

export function perCent(share: number | null | undefined, decimals = 0): string {
  return share === null || share === undefined ? '–' : `${(share * 100).toFixed(decimals)} %`
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

export const moment = (iso: string): string =>
  format({ weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' }).format(new Date(iso))
export const date = (iso: string): string => format({ weekday: 'short', day: 'numeric', month: 'short' }).format(new Date(iso))

/** Length of a lap, in the unit that belongs to the chosen unit of speed. */
export function length(metres: number): string {
  return preferences.speed === 'mph' ? `${(metres / 1609.344).toFixed(3)} mi` : `${(metres / 1000).toFixed(3)} km`
}

export function temperature(celsius: number | null | undefined): string {
  if (celsius === null || celsius === undefined) return '–'
  return preferences.temperature === '°F' ? `${Math.round(celsius * 1.8 + 32)} °F` : `${Math.round(celsius)} °C`
}
