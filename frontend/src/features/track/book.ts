import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/vue-query'
import { useEventListener } from '@vueuse/core'
import { computed, toRaw, type Ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { answer, api, type Book, type Corner, type Reference } from '@/shared/api/client'
import type { StripCorner } from '@/shared/charts/LapStrip.vue'

/** The track book on the page: how it is asked for, and what its words are called. */

export const POINTS: Record<Reference['point'], { title: string; sign: string }> = {
  braking: { title: 'Braking', sign: '▼' },
  lift: { title: 'Lift', sign: '▽' },
  'turn-in': { title: 'Turn-in', sign: '◢' },
  apex: { title: 'Apex', sign: '◆' },
  'pick-up': { title: 'Pick-up', sign: '▲' },
  exit: { title: 'Exit', sign: '◇' },
}
export const LASTS: Record<Reference['lasts'], string> = {
  fixed: 'stays',
  'time-of-day': 'moves with the time of day',
  wears: 'wears in or out',
  traffic: 'hidden in traffic',
  view: 'hidden by car or view',
}
export const KINDS: Record<Reference['kind'], { title: string; lasts: Reference['lasts'] }> = {
  board: { title: 'board', lasts: 'fixed' },
  kerb: { title: 'kerb edge', lasts: 'traffic' },
  surface: { title: 'surface change', lasts: 'traffic' },
  line: { title: 'painted line', lasts: 'traffic' },
  building: { title: 'building', lasts: 'fixed' },
  tree: { title: 'tree', lasts: 'fixed' },
  bridge: { title: 'bridge', lasts: 'fixed' },
  shadow: { title: 'shadow', lasts: 'time-of-day' },
  light: { title: 'light', lasts: 'time-of-day' },
  'tyre mark': { title: 'tyre mark', lasts: 'wears' },
  'dirt line': { title: 'dirt line', lasts: 'wears' },
  people: { title: 'people', lasts: 'wears' },
  sound: { title: 'sound', lasts: 'traffic' },
  sequence: { title: 'sequence or count', lasts: 'fixed' },
  feel: { title: 'feel', lasts: 'fixed' },
  horizon: { title: 'horizon', lasts: 'view' },
  'car part': { title: 'part of the own car', lasts: 'view' },
  other: { title: 'other', lasts: 'fixed' },
}
export const SIDES = ['left', 'right', 'on the road', 'above', 'ahead'] as const
export const VARIANTS: Record<Reference['variant'], string> = {
  usual: 'usual',
  cold: 'cold tyres',
  wet: 'wet',
  traffic: 'traffic',
  cautious: 'cautious',
  pushed: 'pushed',
}
export const THROTTLES = ['at once', 'squeezed', 'in two steps', 'half, then full', 'held', 'not lifted'] as const
export const SURE: Record<Reference['sure'], string> = { firm: 'firm', likely: 'likely', thin: 'thin' }
export const LEVELS = { high: 'high', medium: 'medium', low: 'low' } as const
export const TRAITS: Record<Corner['traits'][number]['kind'], string> = {
  'on-camber': 'camber helps',
  'off-camber': 'falls away',
  crest: 'crest',
  compression: 'compression',
  bump: 'bump',
  dirt: 'dirt',
  grip: 'patch of other grip',
  blind: 'blind',
  flat: 'taken without a lift',
}
export const KERBS: Record<Corner['kerbs'][number]['use'], string> = { use: 'use', brush: 'brush', never: 'never' }
export const COSTS: Record<Corner['limits'][number]['cost'], string> = {
  strike: 'a strike',
  'slow-down': 'time to give back',
  void: 'the lap',
  nothing: 'nothing',
}
export const PHASES: Record<Corner['lanes'][number]['phase'], string> = {
  start: 'first laps',
  middle: 'middle of the race',
  end: 'last laps',
}
export const LANES: Record<Corner['lanes'][number]['lane'], string> = {
  inside: 'inside',
  middle: 'middle',
  outside: 'outside',
}
export const PASSING_SIDES = { left: 'on the left', right: 'on the right', either: 'either side' } as const

export const titleOf = (corner: { code: string; name?: string | null }) =>
  [corner.code, corner.name].filter(Boolean).join(' ')

/** A layout's book as it is seen with the car that the address names, or the usual one. */
export function useBook(id: () => string, car?: () => string | undefined) {
  const route = useRoute()
  const named = car ?? (() => (typeof route.query.car === 'string' ? route.query.car : undefined))
  return useQuery({
    queryKey: ['book', id, named],
    enabled: computed(() => !!id() && (!car || !!car())),
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(api.GET('/api/layouts/{layout_id}', { params: { path: { layout_id: id() }, query: { car: named() } } })),
  })
}
/** Which corners eat tyres, told by the laps of all who drove the book’s car here. */
export function useTyres(book: () => Book | undefined) {
  const combination = computed(() => book()?.cars.find((car) => car.id === book()?.car_id)?.combination_id ?? undefined)
  const { data } = useQuery({
    queryKey: ['analysis', combination, 'tyres'],
    enabled: computed(() => !!combination.value),
    queryFn: () =>
      answer(
        api.GET('/api/combinations/{combination_id}/tyres', {
          params: { path: { combination_id: combination.value! } },
        }),
      ),
  })
  const tyres = computed(() => (combination.value ? data.value : undefined))
  return { tyres, byCorner: computed(() => new Map(tyres.value?.corners.map((item) => [item.code, item]))) }
}
export const useOutline = (id: () => string, known: () => boolean | undefined) =>
  useQuery({
    queryKey: ['outline', id],
    enabled: computed(() => !!known()),
    staleTime: 300_000,
    queryFn: () => answer(api.GET('/api/layouts/{layout_id}/outline', { params: { path: { layout_id: id() } } })),
  })

export function useSettled() {
  const queries = useQueryClient()
  return () =>
    Promise.all(
      ['book', 'card', 'layouts', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })),
    )
}

export const onStrip = (book: Book | undefined): StripCorner[] =>
  (toRaw(book)?.corners ?? []).map((corner) => ({
    key: corner.code,
    code: corner.code,
    name: corner.name,
    start_m: corner.start_m,
    apex_m: corner.apex_m,
    end_m: corner.end_m,
    direction: corner.direction,
    level: corner.importance.level,
    rank: corner.importance.rank,
  }))

/** Keys of a page that count outside of fields, dialogs and pictures with keys of their own. */
export function usePageKeys(keys: () => Record<string, () => void>) {
  function onKey(event: KeyboardEvent) {
    if (event.ctrlKey || event.metaKey || event.altKey || event.defaultPrevented) return
    const on = event.target as HTMLElement
    if (on.closest('input, textarea, select, [role=dialog], [role=slider], .v-overlay, [data-corner]')) return
    const act = keys()[event.key.length === 1 ? event.key.toLowerCase() : event.key]
    if (!act) return
    event.preventDefault()
    act()
  }
  useEventListener(window, 'keydown', onKey)
}

/** The corners before and after one, round the lap. */
export function useNeighbours(book: Ref<Book | undefined>, code: () => string) {
  const router = useRouter()
  const route = useRoute()
  const index = computed(() => book.value?.corners.findIndex((corner) => corner.code === code()) ?? -1)
  const at = (step: number) => {
    const corners = book.value?.corners ?? []
    return corners.length ? corners[(index.value + step + corners.length) % corners.length] : undefined
  }
  const go = (corner: string) =>
    router.replace({ name: 'corner', params: { ...route.params, code: corner }, query: route.query })
  return { index, before: computed(() => at(-1)), after: computed(() => at(1)), go }
}
