/** A layout that was found from traces, on its way to the boundaries of the one that is there. */
export interface FoundTrack {
  format: string
  version: number
  name: string
  layout: string
  kind: string
  length_m: number
  sectors: { code: string; start_m: number }[]
  corners: {
    code: string
    name?: string
    start_m: number
    apex_m: number
    end_m: number
    direction?: 'left' | 'right'
    linked_to_next?: boolean
  }[]
  centreline?: { step_m: number; xy_m: [number, number][] }
  pit?: { entry_m: number; exit_m: number; side?: 'left' | 'right'; limit_kmh?: number }
}
let left: FoundTrack | undefined
export function leaveFound(track: FoundTrack) {
  left = track
}
/** What was left, once. */
export function takeFound(): FoundTrack | undefined {
  const taken = left
  left = undefined
  return taken
}
