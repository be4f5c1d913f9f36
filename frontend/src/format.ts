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

const dayTime = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' })
const day = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })

export const moment = (iso: string): string => dayTime.format(new Date(iso))
export const date = (iso: string): string => day.format(new Date(iso))
