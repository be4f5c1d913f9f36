import { reactive } from 'vue'
import { UNITS } from '@/shared/api/words'

/** Units that people choose. What the server keeps and sends are km/h, °C, kPa and litres; what is shown and typed is each person's. */
export type Quantity = keyof typeof UNITS
interface Unit {
  factor: number
  offset: number
  /** Decimals that it needs beside those of the kept unit to say as much. */
  more: number
}
export const QUANTITIES: Record<Quantity, string> = {
  speed: 'Speed',
  volume: 'Fuel',
  temperature: 'Temperature',
  pressure: 'Pressure',
}
export const unitsOf = (quantity: Quantity): string[] => Object.keys(UNITS[quantity])
/** Which unit each quantity has for who is signed in: their own choice, else the team's. */
export const units = reactive<Record<Quantity, string>>({
  speed: 'km/h',
  temperature: '°C',
  pressure: 'kPa',
  volume: 'l',
})
export function takeUnits(given: Record<Quantity, string>) {
  Object.assign(units, given)
}
const inUse = (quantity: Quantity): Unit =>
  (UNITS[quantity] as Record<string, Unit>)[units[quantity]] ?? { factor: 1, offset: 0, more: 0 }

/** A kept value in the unit in use; of two that are apart, how far. */
export const inUnit = (quantity: Quantity, value: number, apart = false): number =>
  value * inUse(quantity).factor + (apart ? 0 : inUse(quantity).offset)
/** What was said in the unit in use, as it is kept. */
export const fromUnit = (quantity: Quantity, value: number, apart = false): number =>
  (value - (apart ? 0 : inUse(quantity).offset)) / inUse(quantity).factor

/** The number alone, with as many decimals as it needs. */
export const figure = (quantity: Quantity, value: number, decimals = 0, apart = false): string =>
  inUnit(quantity, value, apart)
    .toFixed(decimals + inUse(quantity).more)
    .replace('-', '−')
/** The number with its unit. */
export const quantity = (kind: Quantity, value: number, decimals = 0, apart = false): string =>
  `${figure(kind, value, decimals, apart)} ${units[kind]}`
