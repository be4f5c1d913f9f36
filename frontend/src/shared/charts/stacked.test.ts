import { expect, test } from 'vitest'
import { stacked } from '@/shared/charts/stacked'

test('what costs time stacks to the right, what wins it to the left, and the good lap is no piece', () => {
  const bar = stacked({
    reference: 66_000_000,
    setup: -20_000,
    tyres: 90_000,
    slip: 360_000,
    fuel: null,
    scatter: -5_000,
  })
  expect([bar.from, bar.to]).toEqual([-25_000, 450_000])
  expect(bar.pieces.map((piece) => [piece.account, piece.from, piece.to])).toEqual([
    ['setup', -20_000, 0],
    ['tyres', 0, 90_000],
    ['slip', 90_000, 450_000],
    ['scatter', -25_000, -20_000],
  ])
})

test('a lap that is owed to nothing but itself has no piece', () => {
  expect(stacked({ reference: 60_000_000, scatter: 0 })).toEqual({ pieces: [], from: 0, to: 0 })
})
