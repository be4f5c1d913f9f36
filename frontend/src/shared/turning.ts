import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, reactive } from 'vue'
import { answer, api } from '@/shared/api/client'
import { follow } from '@/shared/api/jobs'
import { useMe } from '@/shared/session'

/** What was just taken back or done again, for the line at the foot of the page. */
export const turned = reactive<{ text: string; again: 'undo' | 'redo' | null; bad: boolean }>({
  text: '',
  again: null,
  bad: false,
})

let queue: Promise<unknown> = Promise.resolve()

/** Undo and redo of one's own last step, or of one entry of the history. */
export function useTurning() {
  const queries = useQueryClient()
  const me = useMe()
  const steps = useQuery({
    queryKey: ['steps'],
    enabled: computed(() => !!me.data.value),
    queryFn: () => answer(api.GET('/api/history/steps')),
  })
  const turn = useMutation({
    mutationFn: async ({ way, entry }: { way: 'undo' | 'redo'; entry?: string }) => {
      const path = entry ? { params: { path: { entry_id: entry } } } : {}
      const asked = !entry
        ? way === 'undo'
          ? api.POST('/api/history/undo')
          : api.POST('/api/history/redo')
        : way === 'undo'
          ? api.POST('/api/history/{entry_id}/undo', path as { params: { path: { entry_id: string } } })
          : api.POST('/api/history/{entry_id}/redo', path as { params: { path: { entry_id: string } } })
      const done = await answer(asked)
      if (!done.job) return done.summary ?? ''
      return (await follow(done.job, () => {})).summary
    },
    onSuccess: (text, { way, entry }) =>
      Object.assign(turned, { text, again: entry ? null : way === 'undo' ? 'redo' : 'undo', bad: false }),
    onError: (error) => Object.assign(turned, { text: error.message, again: null, bad: true }),
    onSettled: () => void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'search' }),
  })
  /** One step after the other, however quickly the keys are pressed. */
  function step(way: 'undo' | 'redo') {
    queue = queue.then(() => turn.mutateAsync({ way })).catch(() => {})
  }
  return { steps, turn, step }
}
