import { describe, expect, it } from 'vitest'
import { runSpans, swelling } from '@/shared/charts/strip'
import { linePath, span, valueAt } from '@/shared/charts/traces'
import { fitting, path, pieces, roundStep, standing, type Point } from '@/shared/charts/track'
import type { OverlaidLap, StripLap } from '@/shared/api/client'

const RING: Point[] = Array.from({ length: 360 }, (_, degree) => [
  100 + 40 * Math.cos((degree * Math.PI) / 180),
  -30 + 20 * Math.sin((degree * Math.PI) / 180),
])

describe('lines', () => {
  it('have the value of their points, and between them what lies between', () => {
    expect([0, 5, 10, 15, 20].map((at) => valueAt([0, 10, 20], [1, 3, 2], at))).toEqual([1, 2, 3, 2.5, 2])
    expect(valueAt([0, 10], [1, 3], 11)).toBeNull()
    expect(valueAt([], [], 0)).toBeNull()
    expect(valueAt([0, 10], [null, 3], 4)).toBe(3)
    expect(valueAt([5, 5], [1, 3], 5)).toBe(1)
  })
  it('break where nothing is known', () => {
    expect(
      linePath(
        [0, 1, 2, 3],
        [1, null, 3, 4],
        (x) => x,
        (y) => y,
      ),
    ).toBe('M0 1M2 3L3 4')
  })
  it('have room above and below, also where all values are one, and where there are none', () => {
    const lap = (values: (number | null)[]) => ({ values }) as OverlaidLap
    for (const values of [
      [3, 3],
      [1, 9, null],
    ]) {
      const [low, high] = span([lap(values)])
      expect(low).toBeLessThan(Math.min(...values.filter((value) => value !== null)))
      expect(high).toBeGreaterThan(Math.max(...values.filter((value) => value !== null)))
    }
    expect(span([lap([null])])).toEqual([0, 1])
  })
})

describe('the outline', () => {
  it('fits its frame whole and keeps its shape', () => {
    const frame = { left: 10, top: 20, width: 300, height: 100 }
    const { scale, to } = fitting(RING, frame)
    for (const point of RING) {
      const [x, y] = to(point)
      expect(x).toBeGreaterThanOrEqual(9.99)
      expect(x).toBeLessThanOrEqual(310.01)
      expect(y).toBeGreaterThanOrEqual(19.99)
      expect(y).toBeLessThanOrEqual(120.01)
    }
    expect(scale).toBeCloseTo(2.5)
    // North is up.
    expect(to([100, -10])[1]).toBeLessThan(to([100, -50])[1])
  })
  it('begins and ends where the road does, with fewer points than it has', () => {
    const drawn = path(RING, ([x, y]) => [x / 20, y / 20])
    expect(drawn.startsWith('M')).toBe(true)
    expect(drawn.split('L').length).toBeLessThan(RING.length / 2)
  })
  it('is cut at the line', () =>
    expect([pieces(10, 90, 100), pieces(90, 10, 100)]).toEqual([
      [[10, 90]],
      [
        [90, 100],
        [0, 10],
      ],
    ]))
  it('has labels that don’t lie on each other, the first ones preferred', () => {
    const labels = Array.from({ length: 50 }, (_, index) => ({
      x: (index * 37) % 200,
      y: (index * 23) % 80,
      text: `T${index}`,
    }))
    const kept = standing(labels, 12, 7)
    expect(kept[0]).toBe(labels[0])
    for (const [index, one] of kept.entries())
      for (const other of kept.slice(index + 1))
        expect(Math.abs(one.x - other.x) > 14 || Math.abs(one.y - other.y) > 12).toBe(true)
  })
  it('has a scale of round steps', () => {
    for (const length of [0.3, 7, 1234, 20_900]) {
      const step = roundStep(length, 8)
      expect(length / step).toBeLessThanOrEqual(8)
      expect([1, 2, 5]).toContain(Math.round(step / 10 ** Math.floor(Math.log10(step) + 1e-9)))
    }
  })
})

describe('the strip', () => {
  it('swells with what was lost or won', () => {
    expect([0, 29_999, 30_000, -150_000, 250_000, 9e9].map(swelling)).toEqual([0, 0, 1, 2, 3, 4])
  })
  it('has each lap in one run', () => {
    const laps = [
      ['1', 1],
      ['1', 1],
      ['1', 2],
      ['2', 2],
    ].map(([session, run]) => ({ session, run })) as StripLap[]
    expect(runSpans(laps).map((item) => [item.start, item.length])).toEqual([
      [0, 2],
      [2, 1],
      [3, 1],
    ])
    expect(runSpans([])).toEqual([])
  })
})
