import type { QueryClient } from '@tanstack/vue-query'
import { ref } from 'vue'

/** Why the server can't do its work for a while; empty while it can. Pages keep what was typed, and try again by themselves. */
export const away = ref('')
const ASK_EVERY_MS = 3000
const NOT_THERE = 'The server does not answer.'
let timer = 0
let queries: QueryClient | undefined

/** What is to be asked again once the server is back. */
export function askAgainWith(client: QueryClient) {
  queries = client
}
/** Say that it is away; it is asked every few seconds until it is back. */
export function isAway(why = NOT_THERE) {
  away.value = why
  if (!timer) timer = window.setInterval(() => void look(), ASK_EVERY_MS)
}
/** What the server says of its health; undefined where it doesn't answer at all. */
export const health = (): Promise<Response | undefined> =>
  fetch('/api/health', { cache: 'no-store' }).catch(() => undefined)
async function look() {
  if (!(await health())?.ok) return
  window.clearInterval(timer)
  timer = 0
  away.value = ''
  void queries?.refetchQueries({ predicate: ({ state }) => state.status === 'error' })
}
