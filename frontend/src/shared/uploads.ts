import type { Upload as Sending } from 'tus-js-client'
import { reactive } from 'vue'
import { answer, api, changing, Trouble, type Job } from '@/shared/api/client'
import { follow } from '@/shared/api/jobs'

/** Telemetry files on their way, in pieces by an open protocol: one that breaks off goes on from where it was, also after a reload. */

export interface Going {
  name: string
  size: number
  sent: number
  state: 'sending' | 'held' | 'reading' | 'done' | 'failed'
  trouble: string
  /** Of the upload on the server, once it is there. */
  id: string
  job: Job | undefined
}
const PIECE = 8_000_000
const WAITS = [0, 1000, 3000, 6000, 15000]
const sendings = new Map<Going, Sending>()
const stops = new Map<Going, (why: Trouble) => void>()

/** Send a file; resolves with the upload's id once all of it is there. */
export async function send(file: File, combination: string | null, going: Going): Promise<string> {
  // Fetched when it is needed: most pages send no file.
  const { Upload } = await import('tus-js-client')
  return new Promise((done, fail) => {
    const sending: Sending = new Upload(file, {
      endpoint: '/api/uploads',
      chunkSize: PIECE,
      retryDelays: WAITS,
      metadata: { filename: file.name, ...(combination ? { combination } : {}) },
      headers: changing(),
      // The same file for another combination is another upload.
      fingerprint: async () => ['fleet', file.name, file.size, file.lastModified, combination ?? 'new'].join('-'),
      removeFingerprintOnSuccess: true,
      onProgress: (sent) => (going.sent = sent),
      onError: (error) => fail(new Trouble(sentence(error))),
      onSuccess: () => done(going.id),
      onUploadUrlAvailable: () => (going.id = sending.url?.split('/').pop() ?? ''),
    })
    sendings.set(going, sending)
    stops.set(going, fail)
    void sending.findPreviousUploads().then((earlier) => {
      if (earlier[0]) sending.resumeFromPreviousUpload(earlier[0])
      sending.start()
    })
  })
}
/** Give up a file that is being sent; what has come of it is forgotten. */
export async function discard(going: Going) {
  await sendings.get(going)?.abort(true)
  stops.get(going)?.(new Trouble('It was cancelled; nothing of it is kept.'))
}
/** Hold a file back for a while, or let it go on. */
export function hold(going: Going) {
  const sending = sendings.get(going)
  if (going.state === 'sending') {
    void sending?.abort()
    going.state = 'held'
  } else {
    going.state = 'sending'
    sending?.start()
  }
}
function sentence(error: Error): string {
  const body =
    'originalResponse' in error
      ? (error as { originalResponse: { getBody(): string } | null }).originalResponse?.getBody()
      : undefined
  try {
    return (JSON.parse(body ?? '') as { detail: string }).detail
  } catch {
    return 'The server doesn’t answer. What has come is kept: choose the same file again, and it goes on from there.'
  }
}

export const begun = (file: File): Going =>
  reactive({ name: file.name, size: file.size, sent: 0, state: 'sending', trouble: '', id: '', job: undefined })

/** Have a file that is there read; again with names, where it holds drivers that the team doesn't know by these. */
export async function read(id: string, names: Record<string, string>, tell: (job: Job | undefined) => void) {
  const job = await answer(
    api.POST('/api/uploads/{upload_id}/reading', {
      params: { path: { upload_id: id } },
      body: { names, combination_id: null },
    }),
  )
  return follow(job, tell)
}
