import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** Laps that don't count by default, and that somebody may count along to see what difference they make. */
export const ALSO = {
  tow: 'tow laps',
  cold: 'cold laps',
  practice_only: 'laps driven to learn',
  hand_timed: 'times by hand',
} as const
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
      void router.replace({
        query: { ...rest, ...(names.length ? { also: NAMES.filter((name) => names.includes(name)).join(' ') } : {}) },
      })
    },
  })
}

/** The week that the address names, whatever runs; undefined: all laps. */
export function useAskedWeek() {
  const route = useRoute()
  return computed(() => (route.query.week && route.query.week !== 'all' ? String(route.query.week) : undefined))
}

/** What is asked of figures, as a file's address has it: `?week=…&also=…`, or nothing. */
export function addressOf(week: string | undefined, also: readonly string[], more: readonly string[] = []): string {
  const asked = [...more, ...(week ? [`week=${week}`] : []), ...also.map((name) => `also=${name}`)]
  return asked.length ? `?${asked.join('&')}` : ''
}

interface DatedWeek {
  id: string
  begins_at: string
  ends_at: string
}
/** Whose laps: those of the week that the address names, else of one that runs; earlier ones only when they are asked for. */
export function useWeek(weeks: () => DatedWeek[]) {
  const route = useRoute()
  const router = useRouter()
  const running = computed(() =>
    weeks().find((item) => new Date(item.begins_at) <= new Date() && new Date() < new Date(item.ends_at)),
  )
  const week = computed<string | undefined>({
    get: () =>
      route.query.week === 'all'
        ? undefined
        : (weeks().find((item) => item.id === route.query.week) ?? running.value)?.id,
    set: (id) => void router.replace({ query: { ...route.query, week: id ?? 'all' } }),
  })
  return { running, week }
}
