import { reactive } from 'vue'
import { answer, api, Trouble, version, type KeptLap, type Lane } from '@/shared/api/client'
import { runPath } from '@/features/drive/runs'

type Body = { line: string } | { presses_us: (number | null)[]; ended_at: string }
/** Something taken down that the server doesn't have yet, or doesn't want. */
export interface Sent {
  number: number
  words: string
  body: Body
  trouble: string
}

/**
 * A driver's lane: where the next laps go, and what isn't kept yet. Laps are sent one after the other, and again until they are there;
 * until then the browser keeps them too, so that a closed tab or a server that is away loses nothing.
 */
export class OpenLane {
  readonly lane: Lane
  laps: KeptLap[]
  waiting: Sent[]
  next: number
  sending = false

  constructor(lane: Lane) {
    this.lane = lane
    this.laps = [...lane.laps]
    this.waiting = remembered(keptUnder(lane)).filter((item) => !lane.laps.some((lap) => lap.number === item.number))
    this.next = Math.max(lane.next_number, ...this.waiting.map((item) => item.number + 1))
  }

  get key() {
    return { session_id: this.lane.session_id, driver_id: this.lane.driver_id, number: this.lane.run }
  }

  add(words: string, body: Body) {
    this.waiting.push({ number: this.next++, words, body, trouble: '' })
    this.remember()
    void this.flush()
  }

  async mend(lap: KeptLap, line: string) {
    const path = { ...runPath(this.key), lap: lap.number }
    const mended = await answer(
      api.PUT('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps/{lap}', {
        params: { path, header: version(lap.version) },
        body: { line },
      }),
    )
    this.laps = this.laps.map((item) => (item.number === mended.number ? mended : item))
  }

  /** What isn't a lap is taken out of the line again, so that it can be typed anew. */
  drop(item: Sent) {
    this.waiting = this.waiting.filter((one) => one.number !== item.number)
    this.next = Math.max(0, ...this.laps.map((lap) => lap.number), ...this.waiting.map((one) => one.number)) + 1
    this.remember()
  }

  async flush(): Promise<void> {
    if (this.sending) return
    this.sending = true
    try {
      for (let item = this.waiting[0]; item && !item.trouble; item = this.waiting[0]) {
        try {
          const kept = await this.send(item)
          this.laps = [...this.laps.filter((lap) => lap.number !== kept.number), kept]
          const number = item.number
          this.waiting = this.waiting.filter((one) => one.number !== number)
          this.remember()
        } catch (error) {
          const status = error instanceof Trouble ? error.status : 0
          if (status >= 400 && status < 500) item.trouble = (error as Trouble).message
          // The server is away: what was taken down waits here and goes when it is back.
          else await new Promise((go) => setTimeout(go, 2000))
        }
      }
    } finally {
      this.sending = false
    }
  }

  private send({ number, body }: Sent): Promise<KeptLap> {
    const path = runPath(this.key)
    return 'line' in body
      ? answer(
          api.POST('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/laps', {
            params: { path },
            body: { number, line: body.line },
          }),
        )
      : answer(
          api.POST('/api/sessions/{session_id}/drivers/{driver_id}/runs/{number}/timed-laps', {
            params: { path },
            body: { number, ...body },
          }),
        )
  }

  private remember() {
    try {
      if (this.waiting.length) localStorage.setItem(keptUnder(this.lane), JSON.stringify(this.waiting))
      else localStorage.removeItem(keptUnder(this.lane))
    } catch {
      // A browser that keeps nothing still sends everything.
    }
  }
}

const keptUnder = (lane: Lane) => `fleet-rival-lane ${lane.session_id} ${lane.driver_id} ${lane.run}`
function remembered(key: string): Sent[] {
  try {
    return JSON.parse(localStorage.getItem(key) ?? '[]') as Sent[]
  } catch {
    return []
  }
}

/** A lane as pages show it. */
export type ShownLane = Pick<OpenLane, 'lane' | 'laps' | 'waiting' | 'next' | 'key' | 'add' | 'mend' | 'drop' | 'flush'>

export async function openLane(
  combination: string,
  who: { driver_id?: string; guest?: string; new_run?: boolean },
): Promise<ShownLane> {
  const lane = await answer(
    api.POST('/api/combinations/{combination_id}/lanes', {
      params: { path: { combination_id: combination } },
      body: { driver_id: who.driver_id ?? null, guest: who.guest ?? null, new_run: who.new_run ?? false },
    }),
  )
  const made = reactive(new OpenLane(lane))
  void made.flush()
  return made as ShownLane
}
