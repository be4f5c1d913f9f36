import { ref } from 'vue'
import { health, isAway } from '@/shared/away'

/** Set where a part of the page can't be loaded though the server answers: it belongs to an earlier version. */
export const partIsGone = ref(false)
const TRIED = 'fleet-loaded-anew'
const NOT_AGAIN_WITHIN_MS = 20_000

/** Tell why a part of the page can't be loaded: it is gone, or the server doesn't answer at all, which is told as that. */
export async function tellPart() {
  if (await health()) partIsGone.value = true
  else isAway()
}
/**
 * Load the page anew: there is a new version under an open tab. What was typed is kept as a draft.
 *
 * @param to where to go.
 */
export async function loadAnew(to = location.pathname + location.search) {
  const last = Number(sessionStorage.getItem(TRIED) ?? 0)
  if (Date.now() - last < NOT_AGAIN_WITHIN_MS || !(await health())) return tellPart()
  sessionStorage.setItem(TRIED, String(Date.now()))
  location.assign(to)
}
