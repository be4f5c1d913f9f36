import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** Laps that don't count by default, and that somebody may count along to see what difference they make. */
export const ALSO = { tow: 'tow laps', cold: 'cold laps', practice_only: 'laps driven to learn', hand_timed: 'times by hand' } as const
export type Also = keyof typeof ALSO
const NAMES = Object.keys(ALSO) as Also[]

/** What counts along, kept in the address: it goes with a link, and back with the browser. */
export function useAlso() {
  const route = useRoute()
  const router = useRouter()
  return computed<Also[]>({
    get: () => {
      const asked = String(route.query.also ?? '').split(' ')
      return NAMES.filter((name) => asked.includes(name))
    },
    set: (names) => {
      const rest = { ...route.query }
      delete rest.also
      void router.replace({ query: { ...rest, ...(names.length ? { also: NAMES.filter((name) => names.includes(name)).join(' ') } : {}) } })
    },
  })
}
