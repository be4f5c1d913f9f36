import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api, type Schemas } from '@/shared/api/client'
import { useCombination } from '@/shared/queries'
import { useAlso, useWeek } from '@/features/find/look'

/** The corner clinic: what stands in several of its pages. */
export type Kind = Schemas['MistakeOut']['kind']
export type Mistake = Schemas['MistakeOut']
export type Slip = Schemas['SlipOut']
export type Correction = Schemas['CorrectionForm']

/** The team's exercises, and what each kind of mistake is called. */
export function useLibrary() {
  const library = useQuery({ queryKey: ['exercises'], queryFn: () => answer(api.GET('/api/exercises')) })
  const words = computed<Record<string, string>>(() => library.data.value?.mistake_words ?? {})
  return { library, words }
}

/** A driver's corners in a combination, as both of their pages look at them: the week's laps, or what is counted along. */
export function useDriverClinic(id: () => string, driver: () => string) {
  const combination = useCombination(id)
  const { week } = useWeek(() => combination.data.value?.weeks ?? [])
  const also = useAlso()
  const enabled = () => Boolean(combination.data.value)
  const where = () => ({
    path: { combination_id: id(), driver_id: driver() },
    query: { week: week.value, also: also.value },
  })
  const clinic = useQuery({
    enabled,
    queryKey: ['clinic', id, driver, week, also],
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/clinic', { params: where() })),
  })
  const card = useQuery({
    enabled,
    queryKey: ['card-of-three', id, driver, week, also],
    queryFn: () => answer(api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/card', { params: where() })),
  })
  return { combination, week, also, enabled, where, clinic, card }
}

export const seconds = (microseconds: number, digits = 2): string =>
  `${(microseconds / 1e6).toFixed(digits).replace('-', '−')} s`

/** Whatever hangs on slips and exercises is asked for anew. */
export function useClinicSettled() {
  const queries = useQueryClient()
  const keys = [
    'clinic',
    'mistake',
    'card-of-three',
    'assignments',
    'exercises',
    'analysis',
    'driver-laps',
    'steps',
    'history',
  ]
  return () => Promise.all(keys.map((key) => queries.invalidateQueries({ queryKey: [key] })))
}

/** What is given changes no figure: only what tells of it is asked for anew. */
export function useAssign(combination: () => string) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: (wish: { driver: string; corner: string; kind: Kind; exercise: string }) =>
      answer(
        api.POST('/api/combinations/{combination_id}/drivers/{driver_id}/assignments', {
          params: { path: { combination_id: combination(), driver_id: wish.driver } },
          body: { corner: wish.corner, kind: wish.kind, exercise: wish.exercise },
        }),
      ),
    onSettled: () =>
      Promise.all(
        ['card-of-three', 'assignments', 'steps', 'history'].map((key) =>
          queries.invalidateQueries({ queryKey: [key] }),
        ),
      ),
  })
}
