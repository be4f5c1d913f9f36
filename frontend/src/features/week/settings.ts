import { asTyped, readNumber } from '@/shared/format'

/** A setting of a car while it is written: numbers as they were typed. */
export interface SettingForm {
  name: string
  unit: string
  low: string
  high: string
  step: string
  default: string
  does: string
}
type Kept = {
  name: string
  does?: string | null
  unit?: string | null
  low?: number | null
  high?: number | null
  step?: number | null
  default?: number | null
}

export const emptySetting = (): SettingForm => ({
  name: '',
  unit: '',
  low: '',
  high: '',
  step: '',
  default: '',
  does: '',
})
export const settingsTyped = (items: Kept[] | undefined): SettingForm[] =>
  (items ?? []).map((item) => ({
    name: item.name,
    unit: asTyped(item.unit),
    low: asTyped(item.low),
    high: asTyped(item.high),
    step: asTyped(item.step),
    default: asTyped(item.default),
    does: asTyped(item.does),
  }))
export const settingsMeant = (items: SettingForm[]) =>
  items.map((item) => ({
    name: item.name.trim(),
    unit: item.unit.trim() || null,
    low: readNumber(item.low),
    high: readNumber(item.high),
    step: readNumber(item.step),
    default: readNumber(item.default),
  }))
/** What is wrong with numbers and settings as they were typed; empty where nothing is. */
export function wrongIn(numbers: string[], settings: SettingForm[]): string {
  const typed = [...numbers, ...settings.flatMap((item) => [item.low, item.high, item.step, item.default])]
  const wrong = typed.find((value) => Number.isNaN(readNumber(value) ?? 0))
  if (wrong) return `“${wrong}” is not a number.`
  return settings.some((item) => !item.name.trim()) ? 'Each setting has a name.' : ''
}
