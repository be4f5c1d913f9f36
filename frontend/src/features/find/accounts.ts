import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { answer, api, type DriverAccounts } from '@/shared/api/client'
import type { Account } from '@/shared/api/words'
import type { AccountRow } from '@/shared/charts/AccountBars.vue'
import { useAlso, useAskedWeek } from '@/features/find/look'
import { count, gap, lapTime } from '@/shared/format'

export type BookedLap = DriverAccounts['laps'][number]
export type AverageLap = DriverAccounts['team'][number]

/** The run that a booked lap belongs to, as an address names it: 0 where it has no number. */
export const runOf = (lap: BookedLap) => `${lap.session_id} ${lap.run ?? 0}`

const late = (time: number, values: BookedLap['accounts']) => gap(time - (values.reference ?? 0), 2)

/** A lap as a bar. */
export const lapRow = (lap: BookedLap): AccountRow => ({
  key: String(lap.lap),
  label: `Lap ${lap.lap}`,
  total: late(lap.time_us, lap.accounts),
  words: lap.words,
  counts: lap.clean,
  accounts: lap.accounts,
})
/** An average lap as a bar. */
export const averageRow = (item: AverageLap): AccountRow => ({
  key: item.id,
  label: item.name,
  total: late(item.time_us, item.accounts),
  words: `${item.name}, ${count(item.laps, 'lap')}: ${lapTime(item.time_us)}`,
  accounts: item.accounts,
})

/** What a driver’s laps are owed to, of the week and with what counts along that the address asks for. */
export function useAccounts(id: () => string, driver: () => string, enabled: () => boolean = () => true) {
  const week = useAskedWeek()
  const also = useAlso()
  const query = useQuery({
    queryKey: ['driver-laps', id, driver, 'accounts', week, also],
    enabled,
    placeholderData: keepPreviousData,
    queryFn: () =>
      answer(
        api.GET('/api/combinations/{combination_id}/drivers/{driver_id}/accounts', {
          params: {
            path: { combination_id: id(), driver_id: driver() },
            query: { week: week.value, also: also.value },
          },
        }),
      ),
  })
  const shown = computed(() => (query.data.value?.id === driver() ? query.data.value : undefined))
  const names = computed<Partial<Record<Account, string>>>(() =>
    Object.fromEntries((shown.value?.accounts ?? []).map((item) => [item.account, item.words])),
  )
  return { query, shown, names, week, also }
}
