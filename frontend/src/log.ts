import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { answer, api, version, type Schemas } from '@/api/client'

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
export const ties = (item: Lesson): string =>
  [item.place && (item.corner ? `${item.place}, ${item.corner}` : item.place), item.car, item.series, item.driver, item.condition && CONDITIONS[item.condition]].filter(Boolean).join(' · ')

export function useLessonActs() {
  const queries = useQueryClient()
  const onSettled = () => Promise.all(['lessons', 'steps', 'history'].map((key) => queries.invalidateQueries({ queryKey: [key] })))
  const params = (item: Lesson) => ({ path: { lesson_id: item.id }, header: version(item.version) })
  const add = useMutation({ mutationFn: (body: LessonBody) => answer(api.POST('/api/lessons', { body })), onSettled })
  const change = useMutation({ mutationFn: ({ item, body }: { item: Lesson; body: LessonBody }) => answer(api.PUT('/api/lessons/{lesson_id}', { params: params(item), body })), onSettled })
  const confirm = useMutation({ mutationFn: (item: Lesson) => answer(api.POST('/api/lessons/{lesson_id}/confirm', { params: params(item) })), onSettled })
  const remove = useMutation({ mutationFn: (item: Lesson) => answer(api.DELETE('/api/lessons/{lesson_id}', { params: params(item) })), onSettled })
  return { add, change, confirm, remove }
}
export const useLessonsOfWeek = (week: () => string) =>
  useQuery({ queryKey: ['lessons', 'week', week], queryFn: () => answer(api.GET('/api/weeks/{week_id}/lessons', { params: { path: { week_id: week() } } })) })
