import { expect, it } from 'vitest'
import { merged, split, wrongIn, type CornerDraft } from '@/features/track/boundaries'

const corner = (code: string, start: string, apex: string, end: string) =>
  ({ id: code, code, name: code, start, apex, end, linked: false }) as CornerDraft
const ROWS = [corner('T1', '100', '150', '200'), corner('T2', '200', '260', '300')]

it('splits a corner between its apex and the next boundary, under a code that nobody has', () => {
  const rows = split(ROWS, 0, 1000)
  expect(rows.map((row) => row.code)).toEqual(['T1', 'T1b', 'T2'])
  const [first, second, third] = rows as [CornerDraft, CornerDraft, CornerDraft]
  expect(first.end).toBe(second.start)
  expect(Number(second.end)).toBeLessThanOrEqual(Number(third.start))
  expect(Number(second.apex)).toBeGreaterThanOrEqual(Number(second.start))
  expect(split(rows, 0, 1000)[1]!.code).toBe('T1c')
})

it('makes one corner of two, with both names', () => {
  const [one, ...rest] = merged(ROWS, 0)
  expect(rest).toEqual([])
  expect([one!.start, one!.end, one!.name]).toEqual(['100', '300', 'T1 and T2'])
})

it('tells what can’t be read of boundaries', () => {
  expect(wrongIn(ROWS, [])).toBe('')
  expect(wrongIn([corner('T1', 'x', '150', '200')], [])).toBe('T1: “x” is not a number of metres.')
  expect(wrongIn([corner(' ', '1', '2', '3')], [])).toBe('Each corner has a code.')
  expect(wrongIn([], [{ code: 'S1', start: '' }])).toContain('needs a code and a start')
})
