import { reactive } from 'vue'

/** Units that people choose. What the server keeps and sends are km/h, °C, kPa and litres; what is shown and typed is each person's. */
export type Quantity = 'speed' | 'temperature' | 'pressure' | 'volume'
interface Unit {
  /** A value in it is the kept value times this, and */
  factor: number
  /** this more. */
  offset: number
  /** Decimals that it needs beside those of the kept unit to say as much. */
  more: number
}
const unit = (factor: number, offset = 0, more = 0): Unit => ({ factor, offset, more })
const UNITS: Record<Quantity, Record<string, Unit>> = {
  speed: { 'km/h': unit(1), mph: unit(1 / 1.609344) },
  temperature: { '°C': unit(1), '°F': unit(1.8, 32) },
  pressure: { kPa: unit(1), bar: unit(0.01, 0, 2), psi: unit(1 / 6.894757293168361, 0, 1) },
  volume: { l: unit(1), gal: unit(1 / 3.785411784, 0, 1) },
}
/** Which unit each quantity has for who is signed in: their own choice, else the team's. */
export const units = reactive<Record<Quantity, string>>({ speed: 'km/h', temperature: '°C', pressure: 'kPa', volume: 'l' })
export function takeUnits(given: Record<Quantity, string>) {
  Object.assign(units, given)
}
const inUse = (quantity: Quantity): Unit => UNITS[quantity][units[quantity]] ?? unit(1)

/** A kept value in the unit in use; of two that are apart, how far. */
export const inUnit = (quantity: Quantity, value: number, apart = false): number => value * inUse(quantity).factor + (apart ? 0 : inUse(quantity).offset)
/** What was said in the unit in use, as it is kept. */
export const fromUnit = (quantity: Quantity, value: number, apart = false): number => (value - (apart ? 0 : inUse(quantity).offset)) / inUse(quantity).factor

/** The number alone, with as many decimals as it needs. */
export const figure = (quantity: Quantity, value: number, decimals = 0, apart = false): string =>
  inUnit(quantity, value, apart).toFixed(decimals + inUse(quantity).more).replace('-', '−')
/** The number with its unit. */
export const quantity = (kind: Quantity, value: number, decimals = 0, apart = false): string => `${figure(kind, value, decimals, apart)} ${units[kind]}`
