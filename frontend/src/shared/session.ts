import { useQuery, type QueryClient } from '@tanstack/vue-query'
import { answer, api, showToken, Trouble, type Me } from '@/shared/api/client'
import { draftsOf } from '@/shared/drafts'
import { takePreferences } from '@/shared/preferences'
import { takeUnits } from '@/shared/units'

export const ME = ['me']

/** The page itself says when it was asked for without anybody being signed in; then there is no need to ask. */
let nobody = document.querySelector<HTMLMetaElement>('meta[name="signed-in"]')?.content === 'no'

/** Forget whatever belonged to another person or team, and ask anew who is there. */
export async function startAnew(queries: QueryClient, ticket?: { csrf_token: string } | 'nobody') {
  nobody = ticket === 'nobody'
  if (ticket && ticket !== 'nobody') showToken(ticket.csrf_token)
  queries.removeQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' })
  await queries.resetQueries({ queryKey: ME })
}

async function ask(): Promise<Me> {
  if (nobody) throw new Trouble('Sign in first.', 401)
  const me = await answer(api.GET('/api/me'))
  showToken(me.csrf_token)
  draftsOf(`${me.team_id} ${me.sign_in_name}`)
  takePreferences(me.preferences)
  takeUnits(me.units)
  return me
}

/** The same person signed in again: all that is shown stays, and is asked anew. Whether it was the same. */
export async function goOn(queries: QueryClient, ticket: { csrf_token: string }): Promise<boolean> {
  const before = queries.getQueryData<Me>(ME)
  showToken(ticket.csrf_token)
  const now = await queries.fetchQuery({ queryKey: ME, queryFn: ask, staleTime: 0, retry: false })
  if (before?.sign_in_name !== now.sign_in_name || before.team_id !== now.team_id) return false
  void queries.invalidateQueries({ predicate: ({ queryKey }) => queryKey[0] !== 'me' })
  return true
}

/** Who is signed in; a `Trouble` with status 401 where nobody is. */
export const whoIsThere = (queries: QueryClient): Promise<Me> =>
  queries.fetchQuery({ queryKey: ME, queryFn: ask, staleTime: Infinity, retry: false })

export const useMe = () => useQuery({ queryKey: ME, queryFn: ask, staleTime: Infinity, retry: false })

export type Permission = Me['may'][number]

/** Whether who is signed in may do something: what the server says their role allows, by name. */
export function useMay(): (permission: Permission) => boolean {
  const me = useMe()
  return (permission) => me.data.value?.may.includes(permission) ?? false
}
