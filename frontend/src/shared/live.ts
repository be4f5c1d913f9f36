import type { QueryClient } from '@tanstack/vue-query'
import { answer, api } from '@/shared/api/client'

type Heard = { kind: 'change'; id: number; topic: string } | { kind: 'missed' } | { kind: 'signed-out' }
const NAME = 'fleet-rival-events'
/** What comes within this is asked for once: laps pour in while a team drives. */
const FLUSH_MS = 250
const ASK_EVERY_MS = 8_000
const TRY_STREAM_EVERY_MS = 60_000
/** Looking again at a file means reading it again, and what the person decided about it must stand: importing checks it anyway; a visit is noted once. */
const LEFT_ALONE = new Set(['lap-file', 'search', 'visit'])

/**
 * Show what others change without reloading. One tab of a browser holds the stream and tells the others; when it is closed
 * the next one takes over. Where the server has no place for a stream, it is asked every few seconds.
 */
export function connect(queries: QueryClient, after: number, signedOut: () => void): () => void {
  const channel = new BroadcastChannel(NAME)
  const end = new AbortController()
  let last = after
  let waiting = new Set<string>()
  let timer = 0

  function flush() {
    const topics = waiting
    waiting = new Set()
    timer = 0
    const jobsAlone = [...topics].every((topic) => topic === 'job')
    void queries.invalidateQueries({
      predicate: ({ queryKey }) => {
        const name = String(queryKey[0])
        if (LEFT_ALONE.has(name)) return false
        return jobsAlone ? name === 'jobs' : true
      },
    })
  }
  function take(heard: Heard) {
    if (heard.kind === 'signed-out') return signedOut()
    if (heard.kind === 'change') last = Math.max(last, heard.id)
    waiting.add(heard.kind === 'change' ? heard.topic : 'missed')
    if (!timer) timer = window.setTimeout(flush, FLUSH_MS)
  }
  function tell(heard: Heard) {
    take(heard)
    channel.postMessage(heard)
  }
  channel.onmessage = (message: MessageEvent<Heard>) => take(message.data)

  function lead(): Promise<void> {
    return new Promise((done) => {
      let source: EventSource | undefined
      let asking = 0
      let trying = 0
      const hear = (event: MessageEvent<string>, kind: Heard['kind']) =>
        tell(
          kind === 'change'
            ? { kind, id: Number(event.lastEventId), topic: (JSON.parse(event.data) as { topic: string }).topic }
            : { kind },
        )
      async function ask() {
        try {
          const told = await answer(api.GET('/api/events', { params: { query: { after: last } } }))
          if (told.missed) tell({ kind: 'missed' })
          for (const item of told.items) tell({ kind: 'change', id: item.id, topic: item.topic })
          last = Math.max(last, told.last)
        } catch {
          // The next time will tell.
        }
      }
      function open() {
        source = new EventSource(`/api/events/stream?after=${last}`)
        source.onopen = () => {
          window.clearInterval(asking)
          asking = 0
        }
        source.addEventListener('change', (event) => hear(event, 'change'))
        source.addEventListener('missed', (event) => hear(event, 'missed'))
        source.addEventListener('signed-out', (event) => hear(event, 'signed-out'))
        source.onerror = () => {
          // The browser tries again by itself unless it was refused: then the server has no place, or is being started anew.
          if (source?.readyState !== EventSource.CLOSED || end.signal.aborted) return
          if (!asking) asking = window.setInterval(() => void ask(), ASK_EVERY_MS)
          window.clearTimeout(trying)
          trying = window.setTimeout(open, TRY_STREAM_EVERY_MS)
        }
      }
      open()
      end.signal.addEventListener('abort', () => {
        source?.close()
        window.clearInterval(asking)
        window.clearTimeout(trying)
        done()
      })
    })
  }
  if ('locks' in navigator) navigator.locks.request(NAME, { signal: end.signal }, lead).catch(() => {})
  else void lead()
  return () => {
    end.abort()
    channel.close()
    window.clearTimeout(timer)
  }
}
