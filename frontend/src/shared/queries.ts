import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { toValue, type MaybeRefOrGetter } from 'vue'
import { answer, api } from '@/shared/api/client'

// What several steps ask for, under the one key by which it is asked anew.

/** Everybody whose laps are here, guests too. */
export const useDrivers = () => useQuery({ queryKey: ['drivers'], queryFn: () => answer(api.GET('/api/drivers')) })
/** Drivers with their hours, cars and limits. */
export const useProfiles = () => useQuery({ queryKey: ['profiles'], queryFn: () => answer(api.GET('/api/profiles')) })
export const useLayouts = () => useQuery({ queryKey: ['layouts'], queryFn: () => answer(api.GET('/api/layouts')) })
export const useCars = () => useQuery({ queryKey: ['cars'], queryFn: () => answer(api.GET('/api/cars')) })
export const useSeries = () => useQuery({ queryKey: ['series'], queryFn: () => answer(api.GET('/api/series')) })
export const useCombinations = () =>
  useQuery({ queryKey: ['combinations'], queryFn: () => answer(api.GET('/api/combinations')) })
/** One combination: its car, its layout and what is set for it. */
export const useCombination = (id: MaybeRefOrGetter<string>) =>
  useQuery({
    queryKey: ['combination', id],
    queryFn: () =>
      answer(api.GET('/api/combinations/{combination_id}', { params: { path: { combination_id: toValue(id) } } })),
  })
/** Asks anew what depends on how a combination is set. */
export function useCombinationChanged() {
  const queries = useQueryClient()
  return async () => {
    for (const key of ['combination', 'combinations', 'analysis', 'driver-laps', 'board', 'steps', 'history'])
      await queries.invalidateQueries({ queryKey: [key] })
  }
}
