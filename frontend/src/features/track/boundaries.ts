import type { Corner, DraftCorner, SectorPart } from '@/shared/api/client'
import { asTyped, readNumber } from '@/shared/format'

/** A corner while its boundaries are written: metres as they were typed. */
export interface CornerDraft {
  id: string | null
  code: string
  name: string
  start: string
  apex: string
  end: string
  direction: string
  linked: boolean
}
export interface SectorDraft {
  code: string
  start: string
}
export const asDraft = (corner: Corner, next: Corner | undefined): CornerDraft => ({
  id: corner.id,
  code: corner.code,
  name: corner.name ?? '',
  start: asTyped(corner.start_m),
  apex: asTyped(corner.apex_m),
  end: asTyped(corner.end_m),
  direction: corner.direction ?? '',
  linked: !!next && corner.given_up_for === next.code,
})
export const meant = (row: CornerDraft): DraftCorner => ({
  id: row.id,
  code: row.code.trim(),
  name: row.name.trim() || null,
  start_m: readNumber(row.start) ?? Number.NaN,
  apex_m: readNumber(row.apex) ?? Number.NaN,
  end_m: readNumber(row.end) ?? Number.NaN,
  direction: (row.direction || null) as 'left' | 'right' | null,
  linked_to_next: row.linked,
})
export const sectorsMeant = (rows: SectorDraft[]): SectorPart[] =>
  rows.map((row) => ({ code: row.code.trim(), start_m: readNumber(row.start) ?? Number.NaN }))

/** What is wrong with boundaries as they were typed; what contradicts itself is told by the server, with its place. */
export function wrongIn(corners: CornerDraft[], sectors: SectorDraft[]): string {
  for (const row of corners) {
    if (!row.code.trim()) return 'Each corner has a code.'
    const wrong = [row.start, row.apex, row.end].find((text) => Number.isNaN(readNumber(text) ?? Number.NaN))
    if (wrong !== undefined) return `${row.code}: “${wrong}” is not a number of metres.`
  }
  const sector = sectors.find((row) => !row.code.trim() || Number.isNaN(readNumber(row.start) ?? Number.NaN))
  return sector ? `Sector “${sector.code}” needs a code and a start in metres.` : ''
}
/** One corner of two: it begins where the first did and ends where the second does. */
export function merged(rows: CornerDraft[], index: number): CornerDraft[] {
  const [first, second] = [rows[index]!, rows[index + 1]!]
  return [
    ...rows.slice(0, index),
    { ...first, end: second.end, linked: second.linked, name: [first.name, second.name].filter(Boolean).join(' and ') },
    ...rows.slice(index + 2),
  ]
}
/** Two corners of one, cut in the middle between its apex and the next boundary. */
export function split(rows: CornerDraft[], index: number, length: number): CornerDraft[] {
  const row = rows[index]!
  const [start, apex, end] = [row.start, row.apex, row.end].map((text) => readNumber(text) ?? 0) as [
    number,
    number,
    number,
  ]
  const cut = (apex + Math.max(end, apex)) / 2
  const after = Math.min(Math.max(end, cut + 2), readNumber(rows[index + 1]?.start ?? '') ?? length)
  const round = (value: number) => asTyped(Math.round(value * 10) / 10)
  const codes = new Set(rows.map((item) => item.code))
  const code =
    ['b', 'c', 'd', 'e', 'f'].map((letter) => row.code + letter).find((item) => !codes.has(item)) ?? `${row.code}-2`
  const first = { ...row, start: round(start), end: round(cut), linked: false }
  return [
    ...rows.slice(0, index),
    first,
    { ...row, id: null, code, name: '', start: round(cut), apex: round((cut + after) / 2), end: round(after) },
    ...rows.slice(index + 1),
  ]
}
