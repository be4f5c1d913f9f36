import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api, version, type Schemas } from '@/shared/api/client'

/** What was learned: what its pages share. */
export type Lesson = Schemas['LessonOut']
export type LessonBody = Schemas['LessonBody']

export const CONDITIONS: Record<NonNullable<Lesson['condition']>, string> = {
  dry: 'in the dry',
  damp: 'when damp',
  wet: 'in the wet',
  night: 'at night',
  cold_tyres: 'on cold tyres',
  traffic: 'in traffic',
  start: 'at the start',
}
/** Where a lesson holds, in a few words. */
export const ties = (
  item: Partial<Pick<Lesson, 'place' | 'corner' | 'car' | 'series' | 'driver' | 'condition'>>,
): string =>
  [
    item.place && (item.corner ? `${item.place}, ${item.corner}` : item.place),
    item.car,
    item.series,
    item.driver,
    item.condition && CONDITIONS[item.condition],
  ]
    .filter(Boolean)
    .join(' · ')

export function useLessonActs() {
  const queries = useQueryClient()
  const onSettled = () =>
    Promise.all(['lessons', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
  const params = (item: Lesson) => ({ path: { lesson_id: item.id }, header: version(item.version) })
  const add = useMutation({ mutationFn: (body: LessonBody) => answer(api.POST('/api/lessons', { body })), onSettled })
  const change = useMutation({
    mutationFn: ({ item, body }: { item: Lesson; body: LessonBody }) =>
      answer(api.PUT('/api/lessons/{lesson_id}', { params: params(item), body })),
    onSettled,
  })
  const confirm = useMutation({
    mutationFn: (item: Lesson) => answer(api.POST('/api/lessons/{lesson_id}/confirm', { params: params(item) })),
    onSettled,
  })
  const remove = useMutation({
    mutationFn: (item: Lesson) => answer(api.DELETE('/api/lessons/{lesson_id}', { params: params(item) })),
    onSettled,
  })
  return { add, change, confirm, remove }
}
export const useLessonsOfWeek = (week: () => string) =>
  useQuery({
    queryKey: ['lessons', 'week', week],
    enabled: () => Boolean(week()),
    queryFn: () => answer(api.GET('/api/weeks/{week_id}/lessons', { params: { path: { week_id: week() } } })),
  })

/** Races behind, and what they brought. */
export type Debrief = Schemas['DebriefOut']
export type DebriefResult = Schemas['DebriefResult']
export const FAULTS: Record<Schemas['RaceIncident']['fault'], string> = {
  own: 'own doing',
  other: 'another’s doing',
  shared: 'both had a part',
  nobody: 'nobody’s doing',
}

export function useResultActs(entry: () => string) {
  const queries = useQueryClient()
  const onSettled = () =>
    Promise.all(
      ['results', 'races', 'board', 'lineup', 'season', 'steps', 'history'].map((key) =>
        queries.invalidateQueries({ queryKey: [key] }),
      ),
    )
  const params = (item: DebriefResult) => ({ path: { result_id: item.id }, header: version(item.version) })
  const add = useMutation({
    mutationFn: (body: Schemas['ResultBody']) =>
      answer(api.POST('/api/races/{entered_id}/results', { params: { path: { entered_id: entry() } }, body })),
    onSettled,
  })
  const change = useMutation({
    mutationFn: ({ item, body }: { item: DebriefResult; body: Schemas['ResultBody'] }) =>
      answer(api.PUT('/api/results/{result_id}', { params: params(item), body })),
    onSettled,
  })
  const remove = useMutation({
    mutationFn: (item: DebriefResult) => answer(api.DELETE('/api/results/{result_id}', { params: params(item) })),
    onSettled,
  })
  return { add, change, remove }
}
