const KEPT = 'fleet-rival-combination'

/** The combination that was looked at last in this browser: where Drive and Find go. */
export function rememberCombination(id: string) {
  try {
    localStorage.setItem(KEPT, id)
  } catch {
    // Without it the newest one is opened.
  }
}
export function lastCombination(): string | null {
  try {
    return localStorage.getItem(KEPT)
  } catch {
    return null
  }
}
