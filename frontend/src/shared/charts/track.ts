import { toRaw } from 'vue'
import type { Outline } from '@/shared/api/client'

/** Geometry of a layout: places along it, paths between distances, labels that don't lie on each other. */

export interface Box {
  left: number
  top: number
  width: number
  height: number
}
export type Point = readonly [number, number]

/** Part of the lap from one distance to another, also across the line; in pieces that don't cross it. */
export function pieces(from: number, to: number, length: number): [number, number][] {
  return to >= from
    ? [[from, to]]
    : [
        [from, length],
        [0, to],
      ]
}

export class Road {
  readonly length: number
  readonly points: readonly Point[]
  private readonly step: number

  constructor(watched: Outline, length: number) {
    // Thousands of places: read past the watching of each.
    const outline = toRaw(watched)
    this.points = outline.x_m.map((x, index) => [x, outline.y_m[index]!] as const)
    this.step = outline.step_m ?? length / Math.max(1, this.points.length)
    this.length = length
  }

  /** The place at a distance from the line, in metres; y grows upward. */
  at(metres: number): Point {
    const count = this.points.length
    const where = (((metres % this.length) + this.length) % this.length) / this.step
    const index = Math.min(Math.floor(where), count - 1)
    const share = Math.min(1, where - index)
    const here = this.points[index]!
    const next = this.points[(index + 1) % count]!
    return [here[0] + (next[0] - here[0]) * share, here[1] + (next[1] - here[1]) * share]
  }

  /** Direction of driving at a distance, of length one. */
  heading(metres: number): Point {
    const [x0, y0] = this.at(metres - 4)
    const [x1, y1] = this.at(metres + 4)
    const long = Math.hypot(x1 - x0, y1 - y0) || 1
    return [(x1 - x0) / long, (y1 - y0) / long]
  }

  /** Points from one distance to another, `sideways` metres to the left of the road. */
  line(from: number, to: number, sideways = 0): Point[] {
    const out: Point[] = []
    const end = to > from ? to : to + this.length
    const stride = sideways ? Math.max(this.step, 8) : this.step
    for (let metres = from; metres < end; metres += stride) out.push(this.beside(metres, sideways))
    out.push(this.beside(end, sideways))
    return out
  }

  private beside(metres: number, sideways: number): Point {
    const [x, y] = this.at(metres)
    if (!sideways) return [x, y]
    const [dx, dy] = this.heading(metres)
    return [x - dy * sideways, y + dx * sideways]
  }
}

/** Fits points into a frame, y turned downward as pictures have it. */
export function fitting(points: readonly Point[], frame: Box): { scale: number; to: (point: Point) => Point } {
  let [left, right, bottom, top] = [Infinity, -Infinity, Infinity, -Infinity]
  for (const [x, y] of points) {
    left = Math.min(left, x)
    right = Math.max(right, x)
    bottom = Math.min(bottom, y)
    top = Math.max(top, y)
  }
  const scale = Math.min(frame.width / Math.max(right - left, 1), frame.height / Math.max(top - bottom, 1))
  const dx = frame.left + (frame.width - (right - left) * scale) / 2
  const dy = frame.top + (frame.height - (top - bottom) * scale) / 2
  return { scale, to: ([x, y]) => [dx + (x - left) * scale, dy + (top - y) * scale] }
}

/** What nobody could see is left out: a long road has many more points than its picture has pixels. */
const SEEN = 0.6
export function path(points: readonly Point[], to: (point: Point) => Point): string {
  let out = ''
  let [lastX, lastY] = [Infinity, Infinity]
  for (const [index, point] of points.entries()) {
    const [x, y] = to(point)
    if (index && index < points.length - 1 && Math.abs(x - lastX) + Math.abs(y - lastY) < SEEN) continue
    out += `${index ? 'L' : 'M'}${Math.round(x * 10) / 10} ${Math.round(y * 10) / 10}`
    ;[lastX, lastY] = [x, y]
  }
  return out
}

/** Which of many labels can stand without lying on each other; those that come first are preferred. */
export function standing<T extends { x: number; y: number; text: string }>(
  labels: readonly T[],
  height: number,
  perSign: number,
): T[] {
  const kept: T[] = []
  for (const label of labels) {
    const half = (label.text.length * perSign) / 2 + 2
    const clear = kept.every(
      (other) =>
        Math.abs(other.x - label.x) > half + (other.text.length * perSign) / 2 + 2 ||
        Math.abs(other.y - label.y) > height,
    )
    if (clear) kept.push(label)
  }
  return kept
}

/** A round step for a scale: 1, 2 or 5 times a power of ten. */
export function roundStep(length: number, most: number): number {
  const raw = length / most
  const power = 10 ** Math.floor(Math.log10(raw))
  return [1, 2, 5, 10].map((factor) => factor * power).find((step) => step >= raw) ?? raw
}
