import type { PaceRun } from '@/shared/api/client'

export type Words = Record<string, { name: string }>
export const runName = (run: PaceRun) => `session ${run.session}, run ${run.run ?? '–'}`
export const secondsOf = (value: number | null | undefined) =>
  value === null || value === undefined ? '–' : `${(value / 1_000_000).toFixed(3)} s`
