import { describe, expect, it } from 'vitest'
import { clockOf, hourOf } from './plan'

describe('hours of a setting', () => {
  it('are a time of day and back, to the minute', () => {
    expect(clockOf(0.5)).toBe('00:30')
    expect(clockOf(19)).toBe('19:00')
    for (let minute = 0; minute < 24 * 60; minute += 7) {
      expect(hourOf(clockOf(minute / 60))).toBeCloseTo(minute / 60, 9)
    }
    expect(hourOf('')).toBeNull()
  })
})
