import { afterEach, describe, expect, it } from 'vitest'
import {
  date,
  fuel,
  gap,
  inWords,
  lapTime,
  moment,
  perCent,
  plainDay,
  readIn,
  readNumber,
  readTime,
  shortLength,
  temperature,
  typedIn,
} from '@/shared/format'
import { takeUnits, type Quantity } from '@/shared/units'

const KEPT = { speed: 'km/h', temperature: '°C', pressure: 'kPa', volume: 'l' }
const OTHER: [Quantity, string][] = [
  ['speed', 'mph'],
  ['temperature', '°F'],
  ['pressure', 'bar'],
  ['pressure', 'psi'],
  ['volume', 'gal'],
]
afterEach(() => takeUnits(KEPT))

describe('times', () => {
  it('are written as they are spoken', () => {
    expect(lapTime(66_214_000)).toBe('1:06.214')
    expect(lapTime(59_999_600)).toBe('1:00.000')
    expect(lapTime(3_661_000_000, 0)).toBe('1:01:01')
    expect(lapTime(-1_500_000, 1)).toBe('−1.5')
    expect(lapTime(null)).toBe('–')
  })
  it('come back to the thousandth', () => {
    for (let at = 1_000; at < 5_999_000_000; at = Math.round(at * 1.37)) {
      const exact = Math.round(at / 1000) * 1000
      if (exact < 3_600_000_000) expect(readTime(lapTime(exact))).toBe(exact)
    }
  })
  it('that are none are told as none', () => {
    for (const text of ['', '1:60.0', '1:2:3', '-3', 'fast', '0', '1.2345678']) expect(readTime(text)).toBeNull()
  })
  it('apart have a sign, and none where nothing is seen of it', () => {
    expect([gap(12_000), gap(-12_000), gap(300), gap(null)]).toEqual(['+0.012', '−0.012', '±0.000', '–'])
  })
})

describe('numbers', () => {
  it('are read with a point, a comma and any minus', () => {
    expect(['1.5', '1,5', '−2', ' +3 ', ''].map(readNumber)).toEqual([1.5, 1.5, -2, 3, null])
    for (const text of ['1.2.3', '1e5', 'x', '--1']) expect(readNumber(text)).toBeNaN()
  })
  it('that round to nothing have no sign', () => {
    expect([perCent(-0.001), perCent(-0.051), perCent(0.126, 1)]).toEqual(['0 %', '−5 %', '12.6 %'])
  })
})

describe('units', () => {
  it('are those in use', () => {
    expect([temperature(26), fuel(42), shortLength(100)]).toEqual(['26 °C', '42.0 l', '100 m'])
    takeUnits({ speed: 'mph', temperature: '°F', pressure: 'psi', volume: 'gal' })
    expect([temperature(26), temperature(null), fuel(42), shortLength(91.44)]).toEqual([
      '79 °F',
      '–',
      '11.10 gal',
      '100 yd',
    ])
  })
  it.each(OTHER)('of %s in %s come back as they were kept where nobody touched them', (kind, unit) => {
    takeUnits({ ...KEPT, [kind]: unit })
    for (const kept of [0, 0.1, 1 / 3, 17.25, 172.369, 999.99])
      expect(readIn(kind, typedIn(kind, kept), kept)).toBe(kept)
  })
  it.each(OTHER)('of %s in %s are read close enough where they are typed anew', (kind, unit) => {
    takeUnits({ ...KEPT, [kind]: unit })
    for (const kept of [0.5, 17.25, 172.369])
      expect(Math.abs(readIn(kind, typedIn(kind, kept))! - kept)).toBeLessThan(unit === 'bar' ? 0.06 : 0.005)
  })
  it('say how far two are apart without an offset', () => {
    takeUnits({ ...KEPT, temperature: '°F' })
    expect(typedIn('temperature', 10, true)).toBe('18')
    expect(readIn('temperature', '18', null, true)).toBe(10)
    expect(readIn('temperature', '')).toBeNull()
    expect(readIn('temperature', 'warm')).toBeNaN()
  })
})

describe('how long until', () => {
  const now = '2031-04-07T12:00:00Z'
  it.each([
    ['2031-04-07T11:59:00Z', 'over'],
    ['2031-04-07T12:00:10Z', 'in 1 min'],
    ['2031-04-07T20:00:00Z', 'in 8 h'],
    ['2031-04-08T20:00:00Z', 'tomorrow'],
    ['2031-04-09T00:30:00Z', 'in 2 days'],
  ])('%s is told as %s', (at, words) => expect(inWords(at, now)).toBe(words))
})

describe('days', () => {
  it('of another year are written like those of this one, with the year behind', () => {
    expect(date('2041-01-05T10:00:00Z')).toBe('Sat 5 Jan 2041')
    expect(plainDay('2041-01-05')).toBe('Sat 5 Jan 2041')
    expect(moment('2041-01-05T10:00:00Z')).toBe('Sat 5 Jan 2041, 10:00')
    const soon = `${new Date().getFullYear()}-06-15`
    expect(plainDay(soon)).toMatch(/^\p{L}{3} 15 June?$/u)
  })
})
