import { ref } from 'vue'

/** Set where a part of the page can't be loaded, also after the page was loaded anew. */
export const partIsGone = ref(false)
const TRIED = 'fleet-loaded-anew'
const NOT_AGAIN_WITHIN_MS = 20_000

/**
 * Load the page anew: there is a new version under an open tab. What was typed is kept as a draft.
 *
 * @param to where to go.
 */
export function loadAnew(to = location.pathname + location.search) {
  const last = Number(sessionStorage.getItem(TRIED) ?? 0)
  if (Date.now() - last < NOT_AGAIN_WITHIN_MS) {
    partIsGone.value = true
    return
  }
  sessionStorage.setItem(TRIED, String(Date.now()))
  location.assign(to)
}
